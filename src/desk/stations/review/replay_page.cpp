#include "desk/stations/review/replay_page.h"

#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QSlider>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/base/parallel.h"
#include "core/guide/controllers.h"
#include "core/motion/tune.h"
#include "desk/pictures/lane_chart.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
// A drag must be answered at once: of a longer run the last part is replayed.
constexpr size_t replayedRows = 1500;
constexpr double gainSteps = 100.0;
constexpr double deadbandSteps = 50.0; // a ″
constexpr double smoothingSteps = 100.0;

Run lastPart(const Run& run) {
    Run part;
    part.meta = run.meta;
    const size_t from = run.rows.size() > replayedRows ? run.rows.size() - replayedRows : 0;
    part.rows.assign(run.rows.begin() + static_cast<long>(from), run.rows.end());
    return part;
}
} // namespace

ReplayPage::ReplayPage(QWidget* parent)
    : QWidget(parent), lanes_(new LaneChart), words_(new QLabel), trouble_(new QLabel),
      decMode_(new QComboBox), exposure_(new QComboBox), search_(new QPushButton) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    lanes_->setSpan(0.0);
    lanes_->setFaded(true);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    words_->setObjectName("replayWords");
    words_->setWordWrap(true);
    left->addWidget(words_);
    left->addWidget(lanes_, 1);
    trouble_->setWordWrap(true);
    trouble_->setAlignment(Qt::AlignCenter);
    trouble_->setObjectName("muted");
    left->addWidget(trouble_, 1);
    row->addLayout(left, 1);
    auto* card = new QFrame;
    card->setObjectName("card");
    card->setFixedWidth(206);
    auto* whole = new QVBoxLayout(card);
    whole->setContentsMargins(12, 10, 6, 10);
    // In a low window the settings scroll, and the button below them stays.
    auto* scroll = new QScrollArea;
    scroll->setAccessibleName(tr("Settings of the replay"));
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);
    auto* inside = new QWidget;
    auto* side = new QVBoxLayout(inside);
    side->setContentsMargins(0, 0, 6, 0);
    side->setSpacing(4);
    scroll->setWidget(inside);
    whole->addWidget(scroll, 1);
    ra_ = makeAxis(side, tr("RA"), "ra");
    dec_ = makeAxis(side, tr("Dec"), "dec");
    for (DecMode mode : {DecMode::both, DecMode::northOnly, DecMode::southOnly, DecMode::off})
        decMode_->addItem(qs(settingText(SettingKey::decMode, static_cast<double>(mode))));
    decMode_->setObjectName("replay-dec-corrections");
    decMode_->setAccessibleName(qs(settingName(SettingKey::decMode)));
    side->addWidget(decMode_);
    exposure_->setObjectName("replay-exposure");
    exposure_->setAccessibleName(qs(settingName(SettingKey::exposure)));
    exposure_->setToolTip(tr("Longer: recorded frames averaged. Shorter: frames simulated from the mount "
                             "motion and noise of this run."));
    side->addWidget(exposure_);
    side->addStretch();
    search_->setObjectName("replay-search");
    whole->addWidget(search_);
    row->addWidget(card);
    connect(decMode_, &QComboBox::currentIndexChanged, this, &ReplayPage::read);
    connect(exposure_, &QComboBox::currentIndexChanged, this, &ReplayPage::read);
    connect(search_, &QPushButton::clicked, this, &ReplayPage::searchBest);
    lanes_->hide();
}

ReplayPage::~ReplayPage() {
    halt();
}

ReplayPage::AxisFields ReplayPage::makeAxis(QVBoxLayout* to, const QString& name, const char* id) {
    AxisFields a{};
    auto* head = new QHBoxLayout;
    auto* label = new QLabel(name);
    label->setFont(textFont(13, true));
    head->addWidget(label);
    a.kind = new QComboBox;
    for (const ControllerDescriptor& c : controllers())
        a.kind->addItem(c.id, static_cast<int>(c.kind));
    a.kind->setObjectName(QString("replay-kind-%1").arg(id));
    a.kind->setAccessibleName(tr("%1 controller").arg(name));
    head->addWidget(a.kind, 1);
    to->addLayout(head);
    a.plain = new QWidget;
    auto* grid = new QGridLayout(a.plain);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(0);
    const auto slide = [&](int line, const QString& title, const char* what, int most, QSlider*& slider,
                           QLabel*& text) {
        auto* words = new QLabel(title);
        words->setObjectName("muted");
        words->setFont(textFont(11));
        text = new QLabel;
        text->setFont(textFont(11));
        text->setAlignment(Qt::AlignRight);
        slider = new QSlider(Qt::Horizontal);
        slider->setRange(0, most);
        slider->setObjectName(QString("replay-%1-%2").arg(what, id));
        slider->setAccessibleName(name + " " + title);
        grid->addWidget(words, 2 * line, 0);
        grid->addWidget(text, 2 * line, 1);
        grid->addWidget(slider, 2 * line + 1, 0, 1, 2);
        connect(slider, &QSlider::valueChanged, this, &ReplayPage::read);
    };
    slide(0, tr("loop gain"), "gain", 150, a.gain, a.gainText);
    slide(1, tr("deadband"), "deadband", 100, a.deadband, a.deadbandText);
    slide(2, tr("smoothing"), "smoothing", 90, a.smoothing, a.smoothingText);
    to->addWidget(a.plain);
    connect(a.kind, &QComboBox::currentIndexChanged, this, &ReplayPage::read);
    return a;
}

void ReplayPage::halt() {
    *stop_ = true;
    if (worker_.valid())
        worker_.wait();
    stop_ = std::make_shared<std::atomic<bool>>(false);
    running_ = waiting_ = searching_ = false;
}

void ReplayPage::show(const Opened& opened) {
    if (opened.run && opened.run == opening_)
        return;
    halt();
    world_.reset();
    retaken_.reset();
    figures_.reset();
    opening_ = opened.run;
    lanes_->hide();
    trouble_->show();
    const bool possible = opened.run && opened.run->meta.kind != RunKind::backlash;
    trouble_->setText(!opened.run ? tr("Open a guided or free run, and the loop is run again on it.")
                      : !possible ? tr("A backlash test holds no disturbance to guide on.")
                                  : tr("Taking the corrections out of the run …"));
    words_->clear();
    write();
    Q_EMIT changed();
    if (!possible)
        return;
    running_ = true;
    worker_ = startAtLowPriority([this, run = opened.run] {
        auto part = std::make_shared<const Run>(lastPart(*run));
        auto disturbance = rebuildDisturbance(*part);
        std::shared_ptr<const World> world;
        QString trouble;
        if (disturbance) {
            auto made = std::make_shared<World>();
            made->run = part;
            made->disturbance = std::move(*disturbance);
            made->track = trackMount(made->disturbance);
            made->recorded = recordedFigures(made->disturbance, made->track);
            made->bound = loopBound(made->disturbance, made->track);
            world = made;
        } else {
            trouble = qs(disturbance.error().said());
        }
        QMetaObject::invokeMethod(
            this,
            [this, world, trouble, run] {
                if (opening_ != run)
                    return;
                running_ = false;
                world_ = world;
                if (!world_) {
                    trouble_->setText(trouble);
                    Q_EMIT changed();
                    return;
                }
                settings_ = world_->disturbance.settings;
                recorded_ = settings_.controller;
                trouble_->hide();
                lanes_->show();
                lanes_->clear();
                lanes_->show(*world_->run, 0.0, 0.0);
                fillExposures();
                write();
                replay();
            },
            Qt::QueuedConnection);
    });
}

// As recorded first, so that it is what stands there.
void ReplayPage::fillExposures() {
    const double recorded = world_->disturbance.exposure_s;
    constexpr double shortest_s = 0.25;
    constexpr double longest_s = 16.0;
    constexpr double fewest = 60.0; // frames
    filling_ = true;
    exposure_->clear();
    exposure_->addItem(tr("exposure as recorded"), 0.0);
    for (double share : {0.25, 0.5, 2.0, 3.0, 4.0}) {
        const double exposure_s = share * recorded;
        const double frames = static_cast<double>(world_->disturbance.t_s.size()) / std::max(share, 1.0);
        if (exposure_s >= shortest_s && exposure_s <= longest_s && frames >= fewest)
            exposure_->addItem(
                tr("exposure %1 s").arg(qs(formatNumber(exposure_s, exposure_s < 1.0 ? 2 : 1))), exposure_s);
    }
    filling_ = false;
}

std::optional<double> ReplayPage::otherExposure_s() const {
    const double chosen = exposure_->currentData().toDouble();
    return world_ && chosen > 0.0 ? std::optional(chosen) : std::nullopt;
}

std::shared_ptr<const ReplayPage::Retaken> ReplayPage::retakenNow() const {
    const auto wanted = otherExposure_s();
    const bool there =
        wanted && retaken_ && std::abs(retaken_->frames.disturbance.exposure_s - *wanted) < 1e-6 * *wanted;
    return there ? retaken_ : nullptr;
}

void ReplayPage::setFromRecorded() {
    settings_.controller = recorded_;
    filling_ = true;
    exposure_->setCurrentIndex(0);
    filling_ = false;
    write();
    replay();
}

void ReplayPage::write() {
    filling_ = true;
    for (auto [fields, axis] :
         {std::pair{&ra_, &settings_.controller.ra}, {&dec_, &settings_.controller.dec}}) {
        fields->kind->setCurrentIndex(fields->kind->findData(static_cast<int>(axis->kind)));
        fields->gain->setValue(static_cast<int>(std::lround(axis->loopGain * gainSteps)));
        fields->deadband->setValue(static_cast<int>(std::lround(axis->deadband_arcsec * deadbandSteps)));
        fields->smoothing->setValue(static_cast<int>(std::lround(axis->smoothing * smoothingSteps)));
        fields->gainText->setText(qs(formatNumber(axis->loopGain, 2)));
        fields->deadbandText->setText(qs(formatNumber(axis->deadband_arcsec, 2)) + "″");
        fields->smoothingText->setText(qs(formatNumber(axis->smoothing, 2)));
        fields->plain->setVisible(controllerOf(axis->kind).hasGain);
        for (QWidget* w : {static_cast<QWidget*>(fields->kind), fields->plain})
            w->setEnabled(world_ && !searching_);
    }
    decMode_->setCurrentIndex(static_cast<int>(settings_.controller.decMode));
    decMode_->setEnabled(world_ && !searching_);
    exposure_->setEnabled(world_ && !searching_);
    search_->setEnabled(world_ != nullptr);
    search_->setText(searching_ ? tr("Stop the search") : tr("Search the best"));
    filling_ = false;
}

void ReplayPage::read() {
    if (filling_ || !world_ || searching_)
        return;
    for (auto [fields, axis] :
         {std::pair{&ra_, &settings_.controller.ra}, {&dec_, &settings_.controller.dec}}) {
        axis->kind = static_cast<ControllerKind>(fields->kind->currentData().toInt());
        axis->loopGain = fields->gain->value() / gainSteps;
        axis->deadband_arcsec = fields->deadband->value() / deadbandSteps;
        axis->smoothing = fields->smoothing->value() / smoothingSteps;
    }
    settings_.controller.decMode = static_cast<DecMode>(decMode_->currentIndex());
    write();
    replay();
}

// The newest wish only: what is under way is broken off.
void ReplayPage::replay() {
    if (!world_)
        return;
    if (running_) {
        waiting_ = true;
        *stop_ = true;
        return;
    }
    startWorker();
}

void ReplayPage::startWorker() {
    running_ = true;
    waiting_ = false;
    if (worker_.valid())
        worker_.wait();
    stop_ = std::make_shared<std::atomic<bool>>(false);
    worker_ = startAtLowPriority([this, world = world_, settings = settings_, stop = stop_,
                                  exposure_s = otherExposure_s(), there = retakenNow()] {
        auto other = there;
        if (exposure_s && !other) {
            auto made = std::make_shared<Retaken>();
            made->frames = withExposure(world->disturbance, world->track, *exposure_s);
            made->bound = loopBound(made->frames);
            other = made;
        }
        const Disturbance& d = disturbanceOf(*world, other);
        const MountTrack& track = other ? other->frames.track : world->track;
        auto errors = replayLoop(d, settings, [stop] { return stop->load(); });
        const bool whole = errors.size() == d.t_s.size() && !errors.empty();
        const LoopFigures figures = whole ? figuresOf(d, track, errors) : LoopFigures();
        QMetaObject::invokeMethod(
            this,
            [this, world, other, errors = std::move(errors), figures, whole] {
                if (world != world_)
                    return;
                running_ = false;
                retaken_ = other;
                if (waiting_) {
                    startWorker();
                    return;
                }
                if (whole)
                    shown(figures, errors);
                Q_EMIT changed();
            },
            Qt::QueuedConnection);
    });
}

void ReplayPage::shown(const LoopFigures& figures, const std::vector<SkyError>& errors) {
    figures_ = figures;
    // As the line that leads to the next frame: each belief is of the row after it.
    const auto none = std::numeric_limits<float>::quiet_NaN();
    std::vector<RowBelief> line(world_->run->rows.size(), RowBelief{{0, 0, none, none}, {0, 0, none, none}});
    const std::vector<size_t>& rows = disturbanceOf(*world_, retaken_).row;
    for (size_t i = 0; i < errors.size() && i < rows.size(); ++i)
        if (rows[i] > 0 && std::isfinite(errors[i].dra_arcsec)) {
            RowBelief& b = line[rows[i] - 1];
            b.ra.next_arcsec = static_cast<float>(errors[i].dra_arcsec);
            b.dec.next_arcsec = static_cast<float>(errors[i].ddec_arcsec);
            b.ra.nextSigma_arcsec = b.dec.nextSigma_arcsec = 0.0F;
        }
    lanes_->clear();
    lanes_->show(*world_->run, 0.0, 0.0);
    lanes_->showForetold(line);
    words_->setText(words());
}

QString ReplayPage::words() const {
    if (!world_ || !figures_)
        return {};
    LoopBound bound = retaken_ ? retaken_->bound : world_->bound;
    bound.holdTo(*figures_);
    // Not of the whole run: a loop from cold is still learning in the beginning.
    const Disturbance& d = world_->disturbance;
    const double judged_s = d.t_s.back() - d.t_s[std::min(d.judgedFrom(), d.t_s.size() - 1)];
    const QString over = tr("Last %1: ").arg(qs(formatDuration(judged_s)));
    QString text = over + tr("recorded %1, replayed %2. No linear loop could have left less than %3″.")
                              .arg(qs(figuresText(world_->recorded)), qs(figuresText(*figures_)),
                                   qs(formatNumber(bound.total_arcsec(), 2)));
    if (world_->run->meta.kind == RunKind::free)
        text = over + tr("replayed on this free run: %1. No linear loop could have left less than %2″.")
                          .arg(qs(figuresText(*figures_)), qs(formatNumber(bound.total_arcsec(), 2)));
    if (retaken_)
        text += retaken_->frames.made
                    ? tr(" Simulated %1 s frames: mount motion from this run, same noise, random walk "
                         "between frames.")
                          .arg(qs(formatNumber(retaken_->frames.disturbance.exposure_s, 2)))
                    : tr(" Averaged frames of %1 s: totals are always smaller; compare the mount part.")
                          .arg(qs(formatNumber(retaken_->frames.disturbance.exposure_s, 1)));
    return text;
}

bool ReplayPage::differs() const {
    return world_ &&
           (otherExposure_s() || !settingsThatDiffer(settings_.controller, recorded_, sliderStep).empty());
}

void ReplayPage::searchBest() {
    if (!world_)
        return;
    if (searching_) {
        *stop_ = true;
        return;
    }
    if (running_)
        return;
    running_ = searching_ = true;
    write();
    if (worker_.valid())
        worker_.wait();
    stop_ = std::make_shared<std::atomic<bool>>(false);
    worker_ =
        startAtLowPriority([this, world = world_, start = settings_, stop = stop_, other = retakenNow()] {
            const auto tell = [this](double share) {
                QMetaObject::invokeMethod(
                    this,
                    [this, share] {
                        if (searching_)
                            search_->setText(tr("Stop the search, %1 %").arg(qRound(100.0 * share)));
                    },
                    Qt::QueuedConnection);
            };
            const SearchResult found = searchSettings(
                disturbanceOf(*world, other), start, [stop] { return stop->load(); }, tell);
            QMetaObject::invokeMethod(
                this,
                [this, world, found] {
                    if (world != world_)
                        return;
                    running_ = searching_ = false;
                    if (!found.stopped)
                        settings_ = found.best;
                    write();
                    replay();
                },
                Qt::QueuedConnection);
        });
    Q_EMIT changed();
}

} // namespace nordstjerna
