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
#include "desk/stations/review/night_page.h"
#include "desk/stations/review/night_strip.h"
#include "desk/stations/review/replay_page.h"
#include "desk/stations/review/trends_page.h"
#include "desk/stations/review/trial_page.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "edge/store/focus_json.h"
#include "edge/store/json_reader.h"
#include "edge/store/run_table.h"

namespace nordstjerna {

namespace {
Opened openedAs(const LogEntry& entry, ToldRun told) {
    Opened o;
    o.entry = entry;
    o.run = std::move(told.run);
    o.story = std::move(told.story);
    o.trouble = std::move(told.trouble);
    return o;
}

// All guiding of the night of an entry, as one run.
Opened readNight(const LogEntry& entry, const std::vector<std::filesystem::path>& tables,
                 const RunSurroundings& around) {
    std::vector<Run> runs;
    for (const auto& path : tables)
        if (auto table = readRunTable(path))
            runs.push_back(std::move(*table));
    return openedAs(entry, tell(joined(runs), around));
}

// All that its table holds; the entry itself where there is none.
Opened readOpened(const LogEntry& entry, const std::filesystem::path& table, const RunSurroundings& around) {
    Opened o;
    o.entry = entry;
    std::error_code error;
    if (entry.kind == EntryKind::focus && !entry.detail.empty()) {
        const auto json = parseJson(entry.detail, "A focus run of the night log");
        auto read = json ? focusFromJson(*json) : Expected<FocusResult>(tl::unexpected(json.error()));
        if (read)
            o.focus = std::make_shared<const FocusResult>(std::move(*read));
        else
            o.trouble = read.error().text();
        return o;
    }
    if (entry.file.empty())
        return o;
    if (!std::filesystem::exists(table, error)) {
        o.trouble = "Its table is no longer there: " + table.string() + ".";
        return o;
    }
    if (isRun(entry.kind))
        return openedAs(entry, tell(readRunTable(table), around));
    if (entry.kind == EntryKind::series) {
        auto series = readSeriesTable(table);
        if (series)
            o.series = std::make_shared<const SeriesRecord>(std::move(*series));
        else
            o.trouble = series.error().text();
    }
    return o;
}
} // namespace

ReviewStation::ReviewStation(Session& session, QWidget* parent)
    : Station(session, tr("Review"), "notebook", parent), search_(new QLineEdit), strip_(new NightStrip),
      pages_(new PhaseBar(
          {tr("Night"), tr("Run"), tr("Budget"), tr("Replay"), tr("Compare"), tr("Trends"), tr("Trial")})),
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
    save_ = new QPushButton(tr("Save the table…"));
    buttons()->addWidget(save_);
    connect(save_, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getSaveFileName(this, tr("Save the run as a table"), "run.csv",
                                                          tr("Tables (*.csv *.fits *.ecsv)"), nullptr,
                                                          QFileDialog::DontConfirmOverwrite);
        if (!path.isEmpty())
            saveRun(path.toStdString());
    });
    buttons()->addWidget(target_);
    buttons()->addWidget(use_);
    connect(target_, &QPushButton::clicked, this, [this] { replay_->setFromRecorded(); });
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
    strip_->show(nights_, session().civilTime());
    const bool gone = std::none_of(nights_.begin(), nights_.end(),
                                   [this](const NightSummary& n) { return strip_->chosen() == n.night; });
    // Until a night is chosen by hand it is the newest.
    if ((gone || (!byHand_ && opened_.entry.id.empty())) && search_->text().trimmed().isEmpty())
        strip_->choose(nights_.empty() ? std::nullopt : std::optional(nights_.front().night));
    refreshEntries();
    if (!importedId_.empty()) {
        const QString words = told_;
        night_->choose(std::exchange(importedId_, {}));
        told_ = words;
        refresh();
    }
    if (page_ == Page::trends)
        trends_->refresh(session().rig().id, session().civilTime());
    Q_EMIT changed();
}

void ReviewStation::refreshEntries() {
    EntrySearch wanted;
    wanted.words = search_->text().trimmed().toStdString();
    if (wanted.words.empty()) {
        if (!strip_->chosen()) {
            night_->show({}, session().civilTime(), false);
            refresh();
            return;
        }
        wanted.night = strip_->chosen();
    }
    std::vector<LogEntry> entries;
    if (const auto log = session().logbook().log())
        if (auto found = (*log)->find(wanted))
            entries = std::move(*found);
    night_->show(entries, session().civilTime(), !wanted.words.empty());
    refresh();
}

// Read and judged beside the window; a newer wish takes the place of an older one.
void ReviewStation::read(const std::string& id, bool wholeNight, Then then) {
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
    std::vector<std::filesystem::path> tables;
    if (wholeNight) {
        EntrySearch guided;
        guided.kind = EntryKind::guidedRun;
        guided.night = (*entry)->night;
        if (const auto runs = (*log)->find(guided))
            for (const LogEntry& e : *runs)
                tables.push_back(session().logbook().tableOf(e));
    }
    wanted_ = id;
    // Judged with the gears of then.
    LogEntry found = **entry;
    (*log)->addRig(found);
    const MountSpec& mount = (found.rig ? *found.rig : session().rig()).mount;
    RunSurroundings around;
    around.wormPeriod_s = mount.wormPeriod_s;
    around.shaftTurns = mount.shaftTurns;
    beside_.run([this, id, then, tables, around, entry = found, table = session().logbook().tableOf(found)] {
        auto opened = std::make_shared<Opened>(tables.empty() ? readOpened(entry, table, around)
                                                              : readNight(entry, tables, around));
        return [this, id, then, opened] {
            if (wanted_ == id)
                then(std::move(*opened));
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
                QString name = qs(session().civilTime().day(e.started)) + " " +
                               qs(session().civilTime().clock(e.started));
                if (const auto head = headFigure(e))
                    name += ", " + qs(figureText(*head));
                list.emplace_back(e.id, name);
            }
    return list;
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

QString ReviewStation::summary() const {
    if (trialRunning_)
        return tr("trial");
    return nights_.empty() ? tr("nothing kept") : qs(formatCount(static_cast<int>(nights_.size()), "night"));
}

StationState ReviewStation::state() const {
    return nights_.empty() ? StationState::open : StationState::good;
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
