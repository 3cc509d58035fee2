// Free run: what the mount does when left alone.
#pragma once

#include <future>

#include "core/findings/run_story.h"
#include "core/motion/correction_curve.h"
#include "core/motion/enough.h"
#include "core/motion/run_feed.h"
#include "core/procedure/guiding.h"
#include "desk/beside.h"
#include "desk/evening/calibration_book.h"
#include "desk/evening/guide_settings.h"
#include "desk/evening/mount_book.h"
#include "desk/evening/mount_desk.h"
#include "desk/logbook.h"
#include "desk/run_keeper.h"
#include "desk/stations/station.h"

class QAction;
class QPushButton;
class QStackedWidget;

namespace nordstjerna {

class BacklashChart;
class ChangeList;
class ChartView;
class EnoughCard;
class LaneChart;
class PhaseBar;
class ReadOut;
class SpectrumChart;
class StarStrip;
class WormChart;

class FreeStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        Logbook& logbook;
        GuideSettings& settings;
        CalibrationBook& calibrationBook;
        MountBook& mountBook;
        MountDesk& mountDesk;
    };
    FreeStation(const StationParts& parts, const Needs& needs, const RunKeeper& runs,
                QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override { return findings_; }
    QString help() const override;
    bool perform(const Action& action) override;

    enum class Page { record, spectrum, worm, backlash };
    void showPage(Page page);
    Page page() const { return page_; }
    const Run& run() const { return run_; }
    const std::optional<RunStory>& story() const { return story_; }
    const std::optional<BacklashResult>& backlash() const { return backlash_; }
    QString runFile() const;
    const std::optional<CorrectionCurve>& openedCurve() const { return opened_; }

    // What the buttons ask a file name for. Failures are told to the person. Runs are read beside the window:
    // reading() holds meanwhile.
    void openRun(const std::filesystem::path& path);
    void compareWith(const std::filesystem::path& path);
    bool reading() const { return beside_.busy(); }
    void exportCurve(const std::filesystem::path& path);
    void openCurve(const std::filesystem::path& path);
    void saveReport(const std::filesystem::path& path);
    void saveRunElsewhere(const std::filesystem::path& path);

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    Needs needs_;
    RunKeeper runs_;
    // Worked out beside the recording, handed over whole.
    struct Live {
        std::shared_ptr<const RunStory> story;
        std::vector<WantedFigure> wanted;
        LoopPriors taught; // at the end
        size_t due = 12;   // rows
        std::future<std::shared_ptr<const RunStory>> pending;
        void adopt(std::shared_ptr<const RunStory> told) {
            if (!told)
                return;
            wanted = wantedFigures(told->motion);
            story = std::move(told);
        }
    };
    struct Snapshot {
        Progress progress;
        std::vector<StarGroup::Member> stars;
        std::shared_ptr<const Frame> frame;
        std::shared_ptr<const RunStory> story;
        std::vector<WantedFigure> wanted;
        bool lost = false;
        std::optional<CalibrationLook> calibrationLook = {};
    };
    struct TestSnapshot {
        Progress progress;
        Run run;
        std::optional<BacklashResult> result;
    };
    void buildPages();
    void buildButtons();
    void record();
    void testBacklash();
    void readBeside(const std::filesystem::path& path,
                    const std::function<void(const Run&, const RunStory&)>& then);
    void handCurve();
    void giveMount(std::optional<CorrectionCurve> curve); // nothing: it shall play none
    QString proof() const;
    void show(const Snapshot& s);
    void adopt(const Run& run, const RunStory& story);
    void refresh();
    void refreshButtons(bool usable);
    void refreshSentence(bool usable);
    void refreshFigures();
    void showRecordFigures();
    void showSpectrumFigures();
    void showWormFigures();
    void showBacklashFigures();
    void refreshPictures();
    void refreshLanes();
    void refreshFindings();
    void useSetting(SettingKey key);
    RunSurroundings surroundings() const;
    Expected<CorrectionCurve> curveToHand() const;
    QString whyNoWorm() const;
    void ask(const QString& title, const QString& name, bool save,
             void (FreeStation::*then)(const std::filesystem::path&));

    PhaseBar* pages_;
    QStackedWidget* stack_;
    LaneChart* lanes_;
    EnoughCard* enough_;
    StarStrip* strip_;
    SpectrumChart* spectrum_; // owned by their views
    WormChart* worm_;
    BacklashChart* backlashChart_;
    ChartView *spectrumView_, *wormView_, *backlashView_;
    ReadOut* figures_[4];
    ChangeList* changes_;
    QPushButton *target_, *openRun_, *report_, *compare_, *hand_, *stopCurve_, *curveFile_;
    QAction* export_;

    Page page_ = Page::record;
    Run run_;
    std::shared_ptr<RunFeed> feed_; // of the run being recorded
    std::optional<RunStory> story_;
    std::vector<WantedFigure> wanted_;
    std::optional<RunStory> before_; // an earlier run, for comparison
    std::optional<BacklashResult> backlash_;
    Run backlashRun_;
    std::optional<CorrectionCurve> opened_;  // from a file
    std::optional<CorrectionCurve> playing_; // handed to the mount this evening
    std::vector<Finding> findings_;
    QString runFile_;
    bool fromFile_ = false; // the run was opened, not recorded
    bool recording_ = false;
    bool testing_ = false;
    bool lost_ = false;
    Beside beside_{problems()}; // its work is waited for when the station goes
};

} // namespace nordstjerna
