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
#include "charts/report.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "charts/worm_chart.h"
#include "core/base/format.h"
#include "core/review/entry_figures.h"
#include "core/rig/scales.h"
#include "desk/pictures/budget_chart.h"
#include "desk/pictures/chart_view.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/shapes_chart.h"
#include "desk/stations/review/compare_page.h"
#include "desk/stations/review/import_sheet.h"
#include "desk/stations/review/night_page.h"
#include "desk/stations/review/night_strip.h"
#include "desk/stations/review/replay_page.h"
#include "desk/stations/review/trends_page.h"
#include "desk/stations/review/trial_page.h"
#include "desk/theme.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "edge/store/json_reader.h"
#include "edge/store/run_table.h"

namespace nordstjerna {

namespace {
bool isRun(EntryKind kind) {
    return kind == EntryKind::freeRun || kind == EntryKind::guidedRun || kind == EntryKind::backlashTest;
}

// All that its table holds; the entry itself where there is none.
Opened readOpened(const LogEntry& entry, const std::filesystem::path& table, double wormPeriod_s) {
    Opened o;
    o.entry = entry;
    std::error_code error;
    if (entry.file.empty())
        return o;
    if (!std::filesystem::exists(table, error)) {
        o.trouble = "Its table is no longer there: " + table.string() + ".";
        return o;
    }
    try {
        if (entry.kind == EntryKind::series) {
            auto series = readSeriesTable(table);
            if (series)
                o.series = std::make_shared<const SeriesRecord>(std::move(*series));
            else
                o.trouble = series.error().text();
        } else if (isRun(entry.kind)) {
            auto run = readRunTable(table);
            if (!run) {
                o.trouble = run.error().text();
                return o;
            }
            RunSurroundings around;
            around.wormPeriod_s = wormPeriod_s;
            auto story = tellRun(*run, around);
            if (story)
                o.story = std::make_shared<const RunStory>(std::move(*story));
            else
                o.trouble = story.error().text();
            o.run = std::make_shared<const Run>(std::move(*run));
        }
    } catch (const std::exception& broken) {
        o.trouble = std::string("Its table cannot be read: ") + broken.what() + ".";
    }
    return o;
}
} // namespace

ReviewStation::ReviewStation(Session& session, QWidget* parent)
    : Station(session, tr("Review"), "notebook", parent), search_(new QLineEdit), strip_(new NightStrip),
      pages_(new PhaseBar(
          {tr("Night"), tr("Run"), tr("Budget"), tr("Replay"), tr("Compare"), tr("Trends"), tr("Trial")})),
      looks_(new PhaseBar({tr("Lanes"), tr("Spectrum"), tr("Worm turn")})), timer_(new QTimer(this)) {
    utcOffset_h_ = std::round(session.rig().site.longitude.hours());
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
    stack_ = new QStackedLayout(pictures);
    stack_->setContentsMargins(0, 0, 0, 0);
    row->addWidget(pictures, 1);
    bench()->addWidget(pages_);
    bench()->addLayout(row, 1);
    buildPages();
    for (ReadOut*& f : figures_) {
        f = new ReadOut("");
        figures()->addWidget(f);
    }
    target_ = new QPushButton(tr("Back to what was recorded"));
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
    connect(report_, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getSaveFileName(this, tr("Report of the night"), "night.html",
                                                          tr("Reports (*.html *.pdf)"));
        if (!path.isEmpty())
            saveReport(path.toStdString());
    });
    buttons()->addWidget(target_);
    buttons()->addWidget(use_);
    connect(target_, &QPushButton::clicked, this, [this] { replay_->setFromRecorded(); });
    connect(use_, &QPushButton::clicked, this, &ReviewStation::useSecond);
    connect(primary(), &QPushButton::clicked, this, &ReviewStation::primaryPressed);
    connect(pages_, &PhaseBar::chosen, this, [this](int i) { showPage(static_cast<Page>(i)); });
    connect(looks_, &PhaseBar::chosen, this, [this](int i) { showLook(static_cast<Look>(i)); });
    connect(strip_, &NightStrip::nightChosen, this, [this] {
        search_->clear();
        refreshEntries();
        showPage(Page::night);
    });
    connect(search_, &QLineEdit::textChanged, this, [this](const QString& text) {
        if (!text.trimmed().isEmpty())
            strip_->choose(std::nullopt);
        else if (!nights_.empty() && !strip_->chosen())
            strip_->choose(nights_.front().night);
        refreshEntries();
        showPage(Page::night);
    });
    connect(night_, &NightPage::entryChosen, this, [this] {
        told_.clear();
        refresh();
        Q_EMIT this->changed();
    });
    connect(night_, &NightPage::openWanted, this, &ReviewStation::primaryPressed);
    connect(night_, &NightPage::noteChanged, this, [this](const QString& id, const QString& text) {
        this->session().logbook().setNote(id.toStdString(), text.toStdString());
    });
    connect(replay_, &ReplayPage::changed, this, &ReviewStation::refresh);
    connect(compare_, &ComparePage::secondWanted, this, [this](const QString& id) {
        read(id.toStdString(), [this](Opened o) { compare_->setSecond(o); });
    });
    connect(trends_, &TrendsPage::changed, this, [this] {
        if (page_ == Page::trends)
            Q_EMIT this->changed();
    });
    connect(trial_, &TrialPage::changed, this, &ReviewStation::refresh);
    connect(trends_, &TrendsPage::entryWanted, this, &ReviewStation::openEntry);
    connect(&session.logbook(), &Logbook::changed, this, &ReviewStation::refreshLog);
    connect(&session.logbook(), &Logbook::rebuilt, this, [this](int entries, int leftOut) {
        told_ = tr("The log was made anew: %1 entries; %2 could not be read.").arg(entries).arg(leftOut);
        refresh();
    });
    connect(&session, &Session::settingsChanged, this, [this] {
        if (trialRunning_)
            this->session().trial().stop("a setting was changed by hand");
        trial_->setFirst(this->session().settings().controller());
        refresh();
    });
    for (auto signal : {&Session::busyChanged, &Session::rigChanged})
        connect(&session, signal, this, &ReviewStation::refresh);
    connect(timer_, &QTimer::timeout, this, &ReviewStation::tick);
    timer_->start(500);
    trial_->setFirst(session.settings().controller());
    trial_->show(TrialSlot::Seen());
    refreshLog();
}

ReviewStation::~ReviewStation() {
    if (reader_.valid())
        reader_.wait();
}

void ReviewStation::buildPages() {
    night_ = new NightPage;
    stack_->addWidget(night_);
    runPage_ = new QWidget;
    auto* run = new QVBoxLayout(runPage_);
    run->setContentsMargins(0, 0, 0, 0);
    run->setSpacing(6);
    run->addWidget(looks_);
    auto* pictures = new QWidget;
    runStack_ = new QStackedLayout(pictures);
    runStack_->setContentsMargins(0, 0, 0, 0);
    run->addWidget(pictures, 1);
    lanes_ = new LaneChart;
    lanes_->setSpan(0.0);
    shapes_ = new ShapesChart;
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
    for (QWidget* w : {static_cast<QWidget*>(lanes_), static_cast<QWidget*>(spectrumView_),
                       static_cast<QWidget*>(wormView_), static_cast<QWidget*>(shapes_),
                       static_cast<QWidget*>(backlashView_), static_cast<QWidget*>(plain_)})
        runStack_->addWidget(w);
    stack_->addWidget(runPage_);
    budget_ = new BudgetChart;
    replay_ = new ReplayPage;
    compare_ = new ComparePage;
    trends_ = new TrendsPage(session().logbook());
    trial_ = new TrialPage;
    for (QWidget* w :
         {static_cast<QWidget*>(budget_), static_cast<QWidget*>(replay_), static_cast<QWidget*>(compare_),
          static_cast<QWidget*>(trends_), static_cast<QWidget*>(trial_)})
        stack_->addWidget(w);
}

void ReviewStation::arrive() {
    refreshLog();
    strip_->setFocus();
}

void ReviewStation::showPage(Page page) {
    page_ = page;
    pages_->setCurrent(static_cast<int>(page));
    stack_->setCurrentIndex(static_cast<int>(page));
    if (page != Page::night)
        night_->keepNote();
    makeRoom();
    refreshPictures();
    refresh();
    Q_EMIT changed();
}

// In a small window the pictures have the room; the nights stand beside their list.
void ReviewStation::makeRoom() {
    constexpr int roomy = 700;
    side_->setVisible(page_ == Page::night || width() >= roomy);
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
    const auto log = session().logbook().log();
    if (log)
        if (auto nights = (*log)->nights())
            nights_ = std::move(*nights);
    strip_->show(nights_, utcOffset_h_);
    const bool gone = std::none_of(nights_.begin(), nights_.end(),
                                   [this](const NightSummary& n) { return strip_->chosen() == n.night; });
    if (gone && search_->text().trimmed().isEmpty())
        strip_->choose(nights_.empty() ? std::nullopt : std::optional(nights_.front().night));
    refreshEntries();
    if (!importedId_.empty()) {
        const QString words = told_;
        night_->choose(std::exchange(importedId_, {}));
        told_ = words;
        refresh();
    }
    if (page_ == Page::trends)
        trends_->refresh(session().rig().id, utcOffset_h_);
    Q_EMIT changed();
}

void ReviewStation::refreshEntries() {
    EntrySearch wanted;
    wanted.words = search_->text().trimmed().toStdString();
    if (wanted.words.empty()) {
        if (!strip_->chosen()) {
            night_->show({}, utcOffset_h_, false);
            refresh();
            return;
        }
        wanted.night = strip_->chosen();
    }
    std::vector<LogEntry> entries;
    if (const auto log = session().logbook().log())
        if (auto found = (*log)->find(wanted))
            entries = std::move(*found);
    night_->show(entries, utcOffset_h_, !wanted.words.empty());
    refresh();
}

// Read and judged beside the window; a newer wish takes the place of an older one.
void ReviewStation::read(const std::string& id, Then then) {
    const auto log = session().logbook().log();
    if (!log) {
        session().reportProblem(log.error());
        return;
    }
    const auto entry = (*log)->entry(id);
    if (!entry || !*entry) {
        session().reportProblem({"That entry is not in the night log.", "", "Choose another one."});
        return;
    }
    wanted_ = id;
    reading_ = true;
    refresh();
    if (reader_.valid())
        reader_.wait();
    reader_ = std::async(std::launch::async, [this, id, then, entry = **entry,
                                              table = session().logbook().absolute((*entry)->file),
                                              worm = session().rig().mount.wormPeriod_s] {
        auto opened = std::make_shared<Opened>(readOpened(entry, table, worm));
        QMetaObject::invokeMethod(
            this,
            [this, id, then, opened] {
                if (wanted_ != id)
                    return;
                reading_ = false;
                then(std::move(*opened));
                refresh();
                Q_EMIT changed();
            },
            Qt::QueuedConnection);
    });
}

void ReviewStation::openEntry(const QString& id) {
    read(id.toStdString(), [this](Opened o) { adopt(std::move(o)); });
}

void ReviewStation::adopt(Opened opened) {
    opened_ = std::move(opened);
    search_->clear();
    strip_->choose(opened_.entry.night);
    refreshEntries();
    night_->choose(opened_.entry.id);
    showPage(page_ == Page::night || page_ == Page::trends || page_ == Page::trial ? Page::run : page_);
}

std::vector<std::pair<std::string, QString>> ReviewStation::comparable() const {
    std::vector<std::pair<std::string, QString>> list;
    if (!opened_.run)
        return list;
    EntrySearch wanted;
    wanted.kind = opened_.entry.kind;
    wanted.most = 100;
    if (const auto log = session().logbook().log())
        if (const auto found = (*log)->find(wanted))
            for (const LogEntry& e : *found) {
                QString name =
                    qs(formatDay(e.started, utcOffset_h_)) + " " + qs(formatClock(e.started, utcOffset_h_));
                if (const auto head = headFigure(e))
                    name += ", " + qs(figureText(*head));
                list.emplace_back(e.id, name);
            }
    return list;
}

void ReviewStation::refreshPictures() {
    const Opened& o = opened_;
    const bool judged = o.story && !o.story->backlash;
    looks_->setVisible(o.run && !(o.story && o.story->backlash));
    if (page_ == Page::run) {
        if (o.story && o.story->backlash) {
            backlash_->show(o.story->backlash, "");
            backlashView_->refresh();
            runStack_->setCurrentWidget(backlashView_);
        } else if (o.run && look_ == Look::lanes) {
            lanes_->clear();
            lanes_->setFree(o.run->meta.kind == RunKind::free);
            lanes_->show(*o.run, 0.0, 0.0);
            runStack_->setCurrentWidget(lanes_);
        } else if (o.run && look_ == Look::spectrum) {
            if (judged && o.story->motion.ra.periodic.spectrum.power.size() > 4)
                spectrum_->show(o.story->motion.ra.periodic, o.story->motion.dec.periodic, std::nullopt);
            else
                spectrum_->clear();
            spectrumView_->refresh();
            runStack_->setCurrentWidget(spectrumView_);
        } else if (o.run) {
            worm_->show(judged ? o.story->motion.ra.periodic.worm : std::nullopt, std::nullopt, "",
                        tr("This run shows no turn of the worm."));
            wormView_->refresh();
            runStack_->setCurrentWidget(wormView_);
        } else if (o.series) {
            shapes_->show(o.series->frames, o.series->imageScale_arcsec_px,
                          o.series->plane ? &*o.series->plane : nullptr, utcOffset_h_);
            runStack_->setCurrentWidget(shapes_);
        } else {
            plain_->setText(
                !o.trouble.empty() ? qs(o.trouble)
                : o.entry.id.empty()
                    ? tr("Open a run or a series from the list of a night.")
                    : tr("Its figures stand in the list of the night; there is no table to draw."));
            runStack_->setCurrentWidget(plain_);
        }
    }
    if (page_ == Page::budget) {
        if (judged && o.story->guided)
            budget_->show(o.story->guided->shares, o.story->guided->recorded.total_arcsec.value, "");
        else if (judged && o.run->meta.kind == RunKind::free)
            budget_->show(o.story->motion.budget, o.story->motion.summary.totalRms_arcsec, "");
        else
            budget_->show({}, 0.0,
                          !o.run ? tr("Open a run, and its error is split by cause.")
                                 : tr("This run is too short to be split by cause."));
    }
    if (page_ == Page::replay)
        replay_->show(o);
    if (page_ == Page::compare)
        compare_->show(o, comparable());
    if (page_ == Page::trends)
        trends_->refresh(session().rig().id, utcOffset_h_);
}

void ReviewStation::showTrialFigures() {
    const TrialState& s = lastTrial_.state;
    const QString titles[] = {tr("A leaves"), tr("B leaves"), tr("difference"), tr("rounds")};
    for (int i = 0; i < 4; ++i) {
        figures_[i]->setVisible(true);
        figures_[i]->setTitle(titles[i]);
    }
    const int all = static_cast<int>(lastTrial_.rules.longest_s / (4.0 * lastTrial_.rules.block_s));
    if (s.rounds == 0) {
        figures_[0]->showNothing(tr("RMS of both axes"));
        figures_[1]->showNothing(tr("RMS of both axes"));
        figures_[2]->showNothing(tr("worth finding: 15 %"));
        figures_[3]->show(trialRunning_ ? "0" : "–", "", tr("of %1 at most").arg(all));
        return;
    }
    figures_[0]->show(qs(formatNumber(s.firstRms_arcsec, 2)) + "″", "", tr("RMS of both axes"));
    figures_[1]->show(qs(formatNumber(s.secondRms_arcsec, 2)) + "″", "", tr("RMS of both axes"));
    const double percent = 100.0 * std::expm1(s.difference.value);
    const double sigma = 100.0 * s.difference.sigma * std::exp(s.difference.value);
    const int places = decimalsFor(sigma, 1);
    figures_[2]->show((percent > 0.0 ? "+" : "") + qs(formatNumber(percent, places)) + " %",
                      tr("± %1 %").arg(qs(formatNumber(sigma, places))), tr("worth finding: 15 %"));
    figures_[3]->show(
        QString::number(s.rounds), "",
        s.left_s ? tr("decided in about %1").arg(qs(formatDuration(60.0 * std::ceil(*s.left_s / 60.0))))
                 : tr("of %1 at most").arg(all));
}

void ReviewStation::refreshFigures() {
    if (page_ == Page::trial) {
        showTrialFigures();
        return;
    }
    const LogEntry* chosen = page_ == Page::night ? night_->chosen() : nullptr;
    const LogEntry& e = chosen ? *chosen : opened_.entry;
    std::vector<Figure> shown;
    const auto head = headFigure(e);
    if (head)
        shown.push_back(*head);
    for (const Figure& f : e.figures)
        if ((!head || f.name != head->name) && f.name != "rows" && f.name != "span_s" && shown.size() < 4)
            shown.push_back(f);
    for (size_t i = 0; i < 4; ++i) {
        figures_[i]->setVisible(i < std::max<size_t>(shown.size(), 1));
        if (i >= shown.size()) {
            figures_[i]->setTitle(tr("figures"));
            figures_[i]->showNothing(tr("of what is chosen"));
            continue;
        }
        const FigureLook look = figureLook(shown[i].name);
        const Measured& m = shown[i].value;
        const int places = m.sigma > 0.0 ? decimalsFor(m.sigma, look.decimals) : look.decimals;
        const QString unit = qs(look.unit);
        const bool mark = !unit.startsWith(' ');
        figures_[i]->setTitle(qs(look.title));
        QString beside = m.sigma > 0.0 ? "± " + qs(formatNumber(m.sigma, places)) : QString();
        beside += mark ? (m.sigma > 0.0 ? unit : QString()) : unit;
        figures_[i]->show(qs(formatNumber(m.value, places)) + (mark ? unit : QString()), beside.trimmed(),
                          i == 0
                              ? QString(entryKindWord(e.kind)) +
                                    (e.length_s() > 0.0 ? ", " + qs(formatDuration(e.length_s())) : QString())
                              : QString());
    }
}

void ReviewStation::refresh() {
    refreshFigures();
    const LogEntry* chosen = night_->chosen();
    const QString name = opened_.entry.id.empty()
                             ? QString()
                             : tr("%1 of %2, %3")
                                   .arg(QString(entryKindWord(opened_.entry.kind)),
                                        qs(formatDay(opened_.entry.started, utcOffset_h_)),
                                        qs(formatClock(opened_.entry.started, utcOffset_h_)));
    report_->setVisible(page_ == Page::night);
    import_->setVisible(page_ == Page::night);
    import_->setEnabled(!reading_);
    report_->setEnabled(strip_->chosen() && !nights_.empty() && !reading_);
    target_->setVisible(page_ == Page::replay);
    target_->setEnabled(replay_->ready() && replay_->differs());
    use_->setVisible(page_ == Page::trial);
    use_->setEnabled(!trialRunning_ && lastTrial_.state.rounds > 0 &&
                     lastTrial_.state.verdict != TrialVerdict::open && !trial_->difference().isEmpty());
    switch (page_) {
    case Page::night: {
        const QString where =
            search_->text().trimmed().isEmpty()
                ? strip_->chosen() ? qs(formatDay(*strip_->chosen(), utcOffset_h_)) : QString()
                : tr("found");
        say(where, !told_.isEmpty() ? told_
                   : nights_.empty()
                       ? tr("Nothing is kept yet: measure, guide, expose, and it is found here.")
                   : reading_ ? tr("Reading …")
                   : chosen   ? tr("Open it to see its lanes, spectrum and budget, and to replay it.")
                              : tr("Choose what to look at."));
        setPrimary(tr("Open"), chosen && !reading_);
        break;
    }
    case Page::replay:
        say(name, !replay_->ready() ? tr("Settings are tried on what this run recorded.")
                  : replay_->differs()
                      ? tr("Take the settings over when they leave less, or try them on the sky.")
                      : tr("Move a slider: what the loop would have left is drawn over what it left."));
        setPrimary(tr("Take over"), replay_->ready() && replay_->differs() && !replay_->busy());
        break;
    case Page::trial: {
        const bool guiding = session().guiding();
        const QString d = trial_->difference();
        say(trialRunning_ ? tr("trial") : QString(),
            trialRunning_ ? tr("Guiding goes on while A and B take turns. It is decided by itself.")
            : !guiding    ? tr("A trial needs guiding: start it at Guide, then come back.")
            : d.isEmpty() ? tr("Choose what B should differ in.")
                          : tr("A and B take turns, 30 s each, for 40 min at most."));
        setPrimary(trialRunning_ ? tr("Stop the trial") : tr("Start the trial"),
                   trialRunning_ || (guiding && !d.isEmpty()));
        break;
    }
    case Page::trends:
        say("", tr("Figures of %1 over its nights.").arg(qs(session().rig().name)));
        setPrimary(tr("Open the newest"), !trends_->newest().isEmpty());
        break;
    default: {
        QString how = qs(opened_.entry.how);
        if (!how.isEmpty())
            how[0] = how[0].toUpper();
        say(name, reading_         ? tr("Reading …")
                  : name.isEmpty() ? tr("Nothing is open: choose it from the list of a night.")
                                   : tr("%1. %2").arg(how, qs(opened_.entry.rigName)));
        setPrimary(tr("Replay it"), opened_.run && !reading_);
    }
    }
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
            session().trial().stop("stopped by you");
        else
            startTrial();
        tick();
        break;
    case Page::trends:
        openEntry(trends_->newest());
        break;
    default:
        showPage(Page::replay);
    }
}

// Each setting that differs, with where it comes from; undone at Guide like any other.
void ReviewStation::takeOver() {
    const ControllerSettings& wanted = replay_->settings();
    const std::string reason = replay_->words().toStdString();
    for (int k = 0; k < settingCount; ++k) {
        const auto key = static_cast<SettingKey>(k);
        if (key == SettingKey::exposure)
            continue;
        const double value = settingValue(wanted, key);
        if (std::abs(value - session().settings().value(key)) > 5e-3)
            session().changeSetting(key, value, "replay", reason);
    }
    refresh();
}

void ReviewStation::importFrom(const std::filesystem::path& path) {
    auto* sheet = new ImportSheet(path, session().logbook().folder() / "imports.json",
                                  scalesOf(session().rig()).guide_arcsec_px, session().now(), this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    connect(sheet, &ImportSheet::importWanted, this, [this, sheet] { importNow(*sheet); });
    sheet->open();
}

// Read beside the window and kept as a run table of ours; then it is an entry like any other.
void ReviewStation::importNow(ImportSheet& sheet) {
    if (reading_)
        return;
    const ImportMapping mapping = sheet.mapping();
    const ImportLayout layout = sheet.layoutOfTable();
    const std::filesystem::path from = sheet.table();
    const Scales scales = scalesOf(session().rig());
    LogEntry entry =
        session().newEntry(mapping.kind == RunKind::free ? EntryKind::freeRun : EntryKind::guidedRun);
    const std::filesystem::path to = session().newRunPath("imported");
    entry.file = session().logbook().relative(to);
    entry.target.clear();
    sheet.accept();
    reading_ = true;
    wanted_.clear();
    refresh();
    if (reader_.valid())
        reader_.wait();
    reader_ = std::async(std::launch::async, [this, mapping, layout, from, to, scales, entry,
                                              kept = session().logbook().folder() / "imports.json",
                                              site = session().rig().site]() mutable {
        auto imported = importTable(from, layout, mapping);
        Expected<void> done;
        if (imported) {
            imported->run.meta.guideScale_arcsec_px = scales.guide_arcsec_px;
            imported->run.meta.imageScale_arcsec_px = scales.image_arcsec_px;
            done = writeRunTable(to, imported->run);
            if (done)
                done = keepMapping(kept, layout, mapping);
        } else {
            done = tl::unexpected(imported.error());
        }
        auto run = std::make_shared<const Run>(imported ? std::move(imported->run) : Run());
        if (done) {
            entry.started = run->meta.start;
            entry.night = noonBefore(site, entry.started);
            entry.ended = entry.started + run->rows.back().t_s;
            entry.how = "imported from " + from.filename().string();
            if (imported->rowsLeftOut > 0)
                entry.note = formatCount(static_cast<int>(imported->rowsLeftOut), "line") +
                             " without all numbers. " + imported->firstLeftOut;
        }
        QMetaObject::invokeMethod(
            this,
            [this, done, entry, run] {
                reading_ = false;
                refresh();
                if (!done) {
                    session().reportProblem(done.error());
                    return;
                }
                session().clearProblem();
                const std::string id = session().logbook().add(entry, [run](LogEntry& e) {
                    e.figures = {{"rows", {static_cast<double>(run->rows.size()), 0.0}}};
                    if (const auto story = tellRun(*run)) {
                        e.figures = figuresOfRun(*run, *story);
                        e.findings = story->findings;
                    }
                });
                told_ = tr("%1 rows imported; they are in the list of their night.").arg(run->rows.size());
                strip_->choose(entry.night);
                importedId_ = id;
                refresh();
            },
            Qt::QueuedConnection);
    });
}

// Beside the window: each run of the night is judged anew for its pictures.
void ReviewStation::saveReport(const std::filesystem::path& path) {
    if (!strip_->chosen() || reading_)
        return;
    night_->keepNote();
    EntrySearch wanted;
    wanted.night = strip_->chosen();
    const auto log = session().logbook().log();
    const auto found = log ? (*log)->find(wanted) : tl::unexpected(log.error());
    if (!found) {
        session().reportProblem(found.error());
        return;
    }
    reading_ = true;
    wanted_.clear();
    refresh();
    if (reader_.valid())
        reader_.wait();
    reader_ = std::async(std::launch::async, [this, path, entries = *found, offset = utcOffset_h_,
                                              folder = session().logbook().folder()] {
        auto document = std::make_shared<NightDocument>(nightDocument(folder, entries, offset));
        QMetaObject::invokeMethod(
            this,
            [this, path, document] {
                reading_ = false;
                refresh();
                // Typefaces and colours belong to the window's thread.
                if (const auto done = writeNightReport(path, *document, true); !done)
                    session().reportProblem(done.error());
                else
                    told_ = tr("The report was written to %1.").arg(qs(path.string()));
                refresh();
            },
            Qt::QueuedConnection);
    });
}

void ReviewStation::startTrial() {
    if (!session().guiding() || trial_->difference().isEmpty())
        return;
    TrialRules rules;
    rules.seed = static_cast<std::uint64_t>(session().now().unix_s);
    trialSecond_ = trial_->second();
    session().trial().begin(rules, trial_->first(), trialSecond_);
    LogEntry entry = session().newEntry(EntryKind::trial);
    entry.note = "B: " + trial_->difference().toStdString();
    trialEntry_ = session().logbook().begin(std::move(entry));
    trialRunning_ = true;
    refresh();
    Q_EMIT changed();
}

void ReviewStation::trialEnded(const TrialSlot::Seen& seen) {
    trialRunning_ = false;
    const std::string words = trialWords(seen.state, "A", "B");
    session().logbook().end(trialEntry_, session().now(), seen.ended, [seen, words](LogEntry& e) {
        if (seen.state.rounds > 0)
            e.figures = {{"trial_difference",
                          {100.0 * std::expm1(seen.state.difference.value),
                           100.0 * seen.state.difference.sigma * std::exp(seen.state.difference.value)}}};
        e.findings = {{"trial", Weight::know, words, e.note, "", "", ""}};
        nlohmann::json detail{{"rounds", seen.state.each},
                              {"block_s", seen.rules.block_s},
                              {"leave_out_s", seen.rules.leaveOut_s},
                              {"seed", seen.rules.seed}};
        e.detail = jsonText(detail);
    });
    trialEntry_.clear();
    refresh();
    Q_EMIT changed();
}

void ReviewStation::useSecond() {
    for (int k = 0; k < settingCount; ++k) {
        const auto key = static_cast<SettingKey>(k);
        if (key != SettingKey::exposure && settingValue(trialSecond_, key) != session().settings().value(key))
            session().changeSetting(key, settingValue(trialSecond_, key), "trial",
                                    trialWords(lastTrial_.state, "A", "B"));
    }
    refresh();
}

void ReviewStation::tick() {
    if (!trialRunning_)
        return;
    lastTrial_ = session().trial().seen();
    trial_->show(lastTrial_);
    if (!lastTrial_.running)
        trialEnded(lastTrial_);
    else if (page_ == Page::trial)
        refresh();
}

QString ReviewStation::summary() const {
    if (trialRunning_)
        return tr("trial");
    return nights_.empty() ? tr("nothing kept") : qs(formatCount(static_cast<int>(nights_.size()), "night"));
}

StationState ReviewStation::state() const {
    return nights_.empty() ? StationState::open : StationState::good;
}

std::vector<Finding> ReviewStation::findings() const {
    std::vector<Finding> list;
    if (!session().notLogged().isEmpty())
        list.push_back({"log", Weight::act, "Nothing is being logged.", session().notLogged().toStdString(),
                        "The log can be made anew from the records and tables beside it.", "review.rebuild",
                        "Make it anew"});
    if (page_ == Page::trends)
        for (const QString& change : trends_->changes())
            list.push_back({"trend", Weight::look, "Something changed.", change.toStdString(),
                            "Look at what was done between the two: notes and changes of settings.", "", ""});
    if (page_ == Page::trial && lastTrial_.state.verdict == TrialVerdict::second && !trialRunning_)
        list.push_back({"trial", Weight::act, "B is better.", trialWords(lastTrial_.state, "A", "B"),
                        "Use it from now on.", "review.use", "Use B"});
    if (page_ == Page::trends || page_ == Page::trial)
        return list;
    const std::vector<Finding>& own = page_ == Page::night && night_->chosen() ? night_->chosen()->findings
                                      : opened_.story                          ? opened_.story->findings
                                                                               : opened_.entry.findings;
    for (Finding f : own) {
        // What could be done then is done at its own station.
        f.action.clear();
        f.actionLabel.clear();
        f.id = "review." + f.id;
        list.push_back(std::move(f));
    }
    return list;
}

bool ReviewStation::perform(const QString& action) {
    if (action == "review.rebuild") {
        session().logbook().rebuild([site = session().rig().site](Instant t) { return noonBefore(site, t); });
        return true;
    }
    if (action == "review.use") {
        useSecond();
        return true;
    }
    if (action == "review.search") {
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
        "your notes. It is kept by itself.</p>"
        "<p><b>Replay:</b> the guide loop is run again on what a run recorded, with other settings. The same "
        "loop guides, so what it promises is what it does, as far as that night goes.</p>"
        "<p><b>Compare:</b> one night's better RMS proves nothing, since the air changes; what is left "
        "beyond "
        "the air is held against its ±.</p>"
        "<p><b>Trial:</b> the proof. A and B take turns while guiding goes on, in rounds by lot, until "
        "Wald's "
        "sequential test decides: a difference is claimed wrongly in 5 % of trials at most.</p>"
        "<p><b>Trends:</b> a figure over the nights, with what changed and when.</p>");
}

} // namespace nordstjerna
