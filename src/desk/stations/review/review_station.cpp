#include "desk/stations/review/review_station.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedLayout>
#include <QTimer>
#include <cmath>
#include <utility>

#include "charts/backlash_chart.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "charts/worm_chart.h"
#include "core/base/format.h"
#include "core/review/compare.h"
#include "desk/pictures/budget_chart.h"
#include "desk/pictures/chart_view.h"
#include "desk/pictures/focus_chart.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/pole_map.h"
#include "desk/pictures/shaped_frame.h"
#include "desk/pictures/shapes_chart.h"
#include "desk/stations/review/compare_page.h"
#include "desk/stations/review/mount_page.h"
#include "desk/stations/review/night_page.h"
#include "desk/stations/review/night_strip.h"
#include "desk/stations/review/replay_page.h"
#include "desk/stations/review/target_page.h"
#include "desk/stations/review/trends_page.h"
#include "desk/stations/review/trial_page.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"

namespace nordstjerna {

ReviewStation::ReviewStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::review, parent), needs_(needs), search_(new QLineEdit),
      strip_(new NightStrip),
      pages_(new PhaseBar({tr("Night"), tr("Run"), tr("Budget"), tr("Replay"), tr("Compare"), tr("Trends"),
                           tr("Trial"), tr("Target"), tr("Mount")})),
      looks_(new PhaseBar({tr("Lanes"), tr("Spectrum"), tr("Worm turn")})),
      seriesLooks_(new PhaseBar({tr("Shapes"), tr("Frame")})), timer_(new QTimer(this)) {
    auto* row = new QHBoxLayout;
    row->setSpacing(10);
    auto* left = new QVBoxLayout;
    left->setSpacing(8);
    search_->setPlaceholderText(tr("Search"));
    search_->setObjectName("searchNights");
    search_->setAccessibleName(tr("Search all nights"));
    search_->setToolTip(tr("Words of rig, target, kind, findings or notes, in all nights"));
    search_->setClearButtonEnabled(true);
    left->addWidget(search_);
    auto* scroll = new QScrollArea;
    scroll->setAccessibleName(tr("Review"));
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);
    scroll->setWidget(strip_);
    left->addWidget(scroll, 1);
    side_ = new QWidget;
    side_->setFixedWidth(154);
    left->setContentsMargins(0, 0, 0, 0);
    side_->setLayout(left);
    row->addWidget(side_);
    auto* pictures = new QWidget;
    stack_ = new PageLayout(pictures);
    stack_->setContentsMargins(0, 0, 0, 0);
    row->addWidget(pictures, 1);
    bench()->addWidget(pages_);
    bench()->addLayout(row, 1);
    buildPages();
    for (ReadOut*& f : figures_) {
        f = new ReadOut("");
        figures()->addWidget(f);
    }
    recorded_ = new QPushButton(tr("Back to what was recorded"));
    use_ = new QPushButton(tr("Use B"));
    report_ = new QPushButton(tr("Report of the night…"));
    report_->setObjectName("nightReport");
    buttons()->addWidget(report_);
    import_ = new QPushButton(tr("Import a table…"));
    buttons()->addWidget(import_);
    connect(import_, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Import a table of guide errors"));
        if (!path.isEmpty())
            importFrom(path.toStdString());
    });
    connect(report_, &QPushButton::clicked, this, &ReviewStation::askForReport);
    save_ = new QPushButton(tr("Save the table…"));
    buttons()->addWidget(save_);
    connect(save_, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getSaveFileName(this, tr("Save the run as a table"), "run.csv",
                                                          tr("Tables (*.csv *.fits *.ecsv)"), nullptr,
                                                          QFileDialog::DontConfirmOverwrite);
        if (!path.isEmpty())
            saveRun(path.toStdString());
    });
    buttons()->addWidget(recorded_);
    buttons()->addWidget(use_);
    connect(recorded_, &QPushButton::clicked, this, [this] { replay_->setFromRecorded(); });
    connect(use_, &QPushButton::clicked, this, &ReviewStation::useSecond);
    connect(primary(), &QPushButton::clicked, this, &ReviewStation::primaryPressed);
    connect(pages_, &PhaseBar::chosen, this, [this](int i) { showPage(static_cast<Page>(i)); });
    connect(looks_, &PhaseBar::chosen, this, [this](int i) { showLook(static_cast<Look>(i)); });
    connect(&beside_, &Beside::changed, this, [this] {
        refresh();
        Q_EMIT this->changed();
    });
    connect(shapes_, &ShapesChart::frameChosen, this, &ReviewStation::showFrame);
    connect(seriesLooks_, &PhaseBar::chosen, this, [this](int i) {
        const int last = opened_.series ? static_cast<int>(opened_.series->frames.size()) : 0;
        showFrame(i == 0 ? 0 : frameChosen_ > 0 ? frameChosen_ : last);
    });
    connect(strip_, &NightStrip::nightChosen, this, [this] {
        byHand_ = true;
        const QSignalBlocker quiet(search_);
        search_->clear();
        refreshLog();
        showPage(Page::night);
    });
    connect(search_, &QLineEdit::textChanged, this, [this](const QString& text) {
        if (!text.trimmed().isEmpty())
            strip_->choose(std::nullopt);
        refreshLog();
        showPage(Page::night);
    });
    connect(night_, &NightPage::entryChosen, this, [this] {
        told_.clear();
        refresh();
        Q_EMIT this->changed();
    });
    connect(night_, &NightPage::openWanted, this, &ReviewStation::primaryPressed);
    connect(night_, &NightPage::noteChanged, this, [this](const QString& id, const QString& text) {
        needs_.logbook.setNote(id.toStdString(), text.toStdString());
    });
    connect(replay_, &ReplayPage::changed, this, &ReviewStation::refresh);
    connect(compare_, &ComparePage::secondWanted, this, [this](const QString& id) {
        read(id.toStdString(), compare_->wholeNights(), [this](Opened o) { compare_->setSecond(o); });
    });
    connect(compare_, &ComparePage::wholeNightsChanged, this, &ReviewStation::compareAnew);
    connect(trends_, &TrendsPage::changed, this, [this] {
        if (page_ != Page::trends)
            return;
        refreshFigures(); // they are of what is drawn
        Q_EMIT this->changed();
    });
    connect(trial_, &TrialPage::changed, this, &ReviewStation::refresh);
    connect(target_, &TargetPage::targetWanted, this, &ReviewStation::refreshLog);
    connect(target_, &TargetPage::wantedChanged, this, [this](const QString& target, double hours) {
        needs_.evening.edit([&](Evening& e) {
            if (hours > 0.0)
                e.wantedLight_h[target.toStdString()] = hours;
            else
                e.wantedLight_h.erase(target.toStdString());
        });
        refresh();
    });
    connect(mount_, &MountPage::marksChanged, this, [this] {
        needs_.evening.edit([&](Evening& e) { e.marks[rigs().rig().mount.id] = mount_->marks(); });
        refresh();
    });
    connect(trends_, &TrendsPage::figureWanted, this, &ReviewStation::refreshLog);
    connect(trends_, &TrendsPage::entryWanted, this, &ReviewStation::openEntry);
    connect(&needs_.logbook, &Logbook::changed, this, &ReviewStation::refreshLog);
    connect(&needs_.logbook, &Logbook::rebuilt, this, [this](int entries, int leftOut) {
        told_ = tr("The log was rebuilt: %1 entries; %2 could not be read.").arg(entries).arg(leftOut);
        refresh();
    });
    connect(&needs_.settings, &GuideSettings::changed, this, [this] {
        if (trialRunning_)
            this->needs_.trial.stop("a setting was changed by hand");
        trial_->setFirst(needs_.settings.book().controller());
        refresh();
    });
    connect(&procedures(), &ProcedureHost::busyChanged, this, &ReviewStation::refresh);
    connect(&rigs(), &RigBook::replaced, this, &ReviewStation::refreshLog); // trends are of one rig
    connect(timer_, &QTimer::timeout, this, &ReviewStation::tick);
    timer_->start(500);
    trial_->setFirst(needs_.settings.book().controller());
    trial_->show(TrialSlot::Seen());
    refreshLog();
}

void ReviewStation::buildPages() {
    night_ = new NightPage;
    stack_->addWidget(night_);
    runPage_ = new QWidget;
    auto* column = new QVBoxLayout(runPage_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    column->addWidget(looks_);
    column->addWidget(seriesLooks_);
    auto* pictures = new QWidget;
    runStack_ = new QStackedLayout(pictures);
    runStack_->setContentsMargins(0, 0, 0, 0);
    column->addWidget(pictures, 1);
    lanes_ = new LaneChart;
    lanes_->setSpan(0.0);
    shapes_ = new ShapesChart;
    frame_ = new ShapedFrame("frame");
    pole_ = new PoleMap;
    focus_ = new FocusChart;
    plain_ = new QLabel;
    plain_->setObjectName("muted");
    plain_->setAlignment(Qt::AlignCenter);
    plain_->setWordWrap(true);
    auto backlash = std::make_unique<BacklashChart>();
    backlash_ = backlash.get();
    backlashView_ = new ChartView("backlash", std::move(backlash));
    auto spectrum = std::make_unique<SpectrumChart>();
    spectrum_ = spectrum.get();
    spectrumView_ = new ChartView("spectrum", std::move(spectrum));
    auto worm = std::make_unique<WormChart>();
    worm_ = worm.get();
    wormView_ = new ChartView("worm-turn", std::move(worm));
    for (QWidget* w :
         {static_cast<QWidget*>(lanes_), static_cast<QWidget*>(spectrumView_),
          static_cast<QWidget*>(wormView_), static_cast<QWidget*>(shapes_), static_cast<QWidget*>(frame_),
          static_cast<QWidget*>(pole_), static_cast<QWidget*>(focus_), static_cast<QWidget*>(backlashView_),
          static_cast<QWidget*>(plain_)})
        runStack_->addWidget(w);
    stack_->addWidget(runPage_);
    budget_ = new BudgetChart;
    replay_ = new ReplayPage;
    compare_ = new ComparePage;
    trends_ = new TrendsPage;
    trial_ = new TrialPage;
    target_ = new TargetPage;
    mount_ = new MountPage;
    for (QWidget* w :
         {static_cast<QWidget*>(budget_), static_cast<QWidget*>(replay_), static_cast<QWidget*>(compare_),
          static_cast<QWidget*>(trends_), static_cast<QWidget*>(trial_), static_cast<QWidget*>(target_),
          static_cast<QWidget*>(mount_)})
        stack_->addWidget(w);
}

void ReviewStation::arrive() {
    refreshLog();
    strip_->setFocus();
}

void ReviewStation::showPage(Page page) {
    if (page != page_)
        told_.clear();
    page_ = page;
    pages_->setCurrent(static_cast<int>(page));
    stack_->setCurrentIndex(static_cast<int>(page));
    if (page != Page::night)
        night_->keepNote();
    if (page == Page::trends || overManyNights())
        refreshLog();
    makeRoom();
    refreshPictures();
    refresh();
    Q_EMIT changed();
}

// In a small window the pictures have the room, and always what is not of one night.
void ReviewStation::makeRoom() {
    constexpr int roomy = 700;
    side_->setVisible(page_ == Page::night || (!overManyNights() && width() >= roomy));
}

void ReviewStation::resizeEvent(QResizeEvent* e) {
    Station::resizeEvent(e);
    makeRoom();
}

void ReviewStation::showLook(Look look) {
    look_ = look;
    looks_->setCurrent(static_cast<int>(look));
    showPage(Page::run);
}

void ReviewStation::refreshLog() {
    LogWish wish;
    wish.words = search_->text().trimmed().toStdString();
    // Until a night is chosen by hand it is the newest.
    if (byHand_ || !opened_.entry.id.empty())
        wish.night = strip_->chosen();
    wish.rigId = rigs().rig().id;
    wish.trends = page_ == Page::trends;
    wish.figure = trends_->figure();
    wish.target = page_ == Page::target;
    wish.targetName = target_->target();
    if (wish.targetName.empty())
        wish.targetName = targets().name();
    wish.mount = page_ == Page::mount;
    wish.mountId = rigs().rig().mount.id;
    if (opened_.run)
        wish.alike = opened_.entry.kind;
    log_.run([this, wish, folder = needs_.logbook.folder()] {
        auto view = std::make_shared<Expected<LogView>>(readLog(folder, wish));
        return [this, wish, view] {
            // What could not be read is told where it is written; what was shown stays.
            if (*view)
                present(**view);
            Q_EMIT changed();
        };
    });
}

void ReviewStation::present(const LogView& view) {
    view_ = view;
    const CivilTime& zone = rigs().civilTime();
    strip_->show(view_.nights, zone);
    strip_->choose(view_.night);
    night_->show(view_.entries, zone, view_.searched);
    if (!choose_.empty()) {
        const QString words = told_;
        night_->choose(std::exchange(choose_, {}));
        told_ = words;
    }
    trends_->show(view_, zone);
    const Evening& evening = needs_.evening.evening();
    if (view_.target) {
        const auto wanted = evening.wantedLight_h.find(view_.target->name);
        target_->show(*view_.target, zone, wanted == evening.wantedLight_h.end() ? 0.0 : wanted->second);
    }
    if (view_.mount) {
        const auto marks = evening.marks.find(rigs().rig().mount.id);
        mount_->show(*view_.mount, marks == evening.marks.end() ? std::vector<HardwareMark>() : marks->second,
                     zone, night().now());
    }
    if (page_ == Page::compare)
        refreshPictures();
    refresh();
}

// Looked up, read and judged beside the window; a newer wish takes the place of an older one.
void ReviewStation::read(const std::string& id, bool wholeNight, Then then) {
    wanted_ = id;
    beside_.run([this, id, then, wholeNight, folder = needs_.logbook.folder(),
                 mount = rigs().rig().mount]() -> std::function<void()> {
        auto opened = std::make_shared<Expected<Opened>>(readEntry(folder, id, wholeNight, mount));
        return [this, id, then, opened] {
            if (!*opened)
                problems().report(opened->error());
            else if (wanted_ == id)
                then(std::move(**opened));
        };
    });
}

// Both sides as runs, or as all of their nights.
void ReviewStation::compareAnew() {
    if (!opened_.run)
        return;
    const auto second = [this](Opened first) {
        compare_->setFirst(first);
        if (const QString other = compare_->chosen(); !other.isEmpty())
            read(other.toStdString(), compare_->wholeNights(), [this](Opened o) { compare_->setSecond(o); });
    };
    if (compare_->wholeNights())
        read(opened_.entry.id, true, second);
    else
        second(opened_);
}

void ReviewStation::openEntry(const QString& id) {
    read(id.toStdString(), false, [this](Opened o) { adopt(std::move(o)); });
}

void ReviewStation::adopt(Opened opened) {
    opened_ = std::move(opened);
    frameShown_ = frameChosen_ = 0;
    seriesLooks_->setCurrent(0);
    search_->clear();
    strip_->choose(opened_.entry.night);
    choose_ = opened_.entry.id;
    refreshLog();
    showPage(page_ == Page::night || page_ == Page::trends || page_ == Page::trial ? Page::run : page_);
}

void ReviewStation::primaryPressed() {
    switch (page_) {
    case Page::night:
        if (const LogEntry* e = night_->chosen()) {
            night_->keepNote();
            openEntry(qs(e->id));
        }
        break;
    case Page::replay:
        takeOver();
        break;
    case Page::trial:
        if (trialRunning_)
            needs_.trial.stop("stopped by you");
        else
            startTrial();
        tick();
        break;
    case Page::trends:
        openEntry(trends_->newest());
        break;
    case Page::target:
    case Page::mount:
        askForReport();
        break;
    default:
        showPage(Page::replay);
    }
}

QString ReviewStation::summary() const {
    if (trialRunning_)
        return tr("trial");
    return view_.nights.empty()
               ? tr("nothing kept")
               : qs(Text::say("%n night|%n nights", "", static_cast<int>(view_.nights.size())));
}

StationState ReviewStation::state() const {
    return view_.nights.empty() ? StationState::open : StationState::good;
}

bool ReviewStation::perform(const Action& action) {
    if (action.id == ActionId::reviewRebuild) {
        needs_.logbook.rebuild([site = rigs().rig().site](Instant t) { return noonBefore(site, t); });
        return true;
    }
    if (action.id == ActionId::reviewUse) {
        useSecond();
        return true;
    }
    if (action.id == ActionId::reviewSearch) {
        showPage(Page::night);
        search_->setFocus();
        return true;
    }
    return false;
}

QString ReviewStation::help() const {
    return tr(
        "<p><b>What:</b> all that was done, night by night: runs, series, measurements, with their figures "
        "and "
        "your notes. It is kept automatically.</p>"
        "<p><b>Replay:</b> the guide loop is run again on what a run recorded, with other settings. The same "
        "loop guides, so its prediction holds for that night.</p>"
        "<p><b>Compare:</b> one night's better RMS proves nothing, since the air changes; what is left "
        "beyond "
        "the seeing is compared with its ±.</p>"
        "<p><b>Trial:</b> the proof. A and B take turns while guiding goes on, in random order, until "
        "a test that may look at any time decides: a difference is claimed wrongly in 5 % of trials at "
        "most.</p>"
        "<p><b>Trends:</b> a figure over the nights, with what changed and when.</p>"
        "<p><b>Target:</b> the light that was gathered of it, by night and filter, what was flagged and why, "
        "and how many nights are left at this pace. Frames without a flag count as usable.</p>"
        "<p><b>Mount:</b> its figures over the months, what you noted that was done to it, and what helped "
        "most.</p>");
}

} // namespace nordstjerna
