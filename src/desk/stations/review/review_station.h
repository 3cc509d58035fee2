// Review: every night kept. Nights, what was done in them, runs opened and replayed, compared, tried on the
// sky, figures over the nights.
#pragma once

#include "core/pole/pole_error.h"
#include "desk/beside.h"
#include "desk/evening/guide_settings.h"
#include "desk/logbook.h"
#include "desk/stations/review/log_view.h"
#include "desk/stations/review/opened.h"
#include "desk/stations/station.h"
#include "desk/trial_slot.h"

class QLineEdit;
class QStackedLayout;
class QTimer;

namespace nordstjerna {

class BacklashChart;
class BudgetChart;
class ChartView;
class ComparePage;
class ImportSheet;
class LaneChart;
class MountPage;
class NightPage;
class NightStrip;
class PhaseBar;
class ReadOut;
class ReplayPage;
class FocusChart;
class PoleMap;
class ShapedFrame;
class ShapesChart;
class SpectrumChart;
class TargetPage;
class TrendsPage;
class TrialPage;
class WormChart;

class ReviewStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        EveningStore& evening;
        Logbook& logbook;
        GuideSettings& settings;
        TrialSlot& trial;
    };
    ReviewStation(const StationParts& parts, const Needs& needs, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;
    void arrive() override;

    enum class Page { night, run, budget, replay, compare, trends, trial, target, mount };
    enum class Look { lanes, spectrum, worm }; // at a run
    void showPage(Page page);
    void showLook(Look look);
    // At a series: the frame of that number, read beside the window; 0: its shapes.
    void showFrame(int number);
    Page page() const { return page_; }
    bool overManyNights() const { return page_ == Page::target || page_ == Page::mount; }
    // By its identity in the night log; read beside the window.
    void openEntry(const QString& id);
    const Opened& opened() const { return opened_; }
    bool reading() const { return beside_.busy() || log_.busy(); }
    ReplayPage* replay() const { return replay_; }
    TargetPage* targetPage() const { return target_; }
    MountPage* mountPage() const { return mount_; }
    void refreshLog(); // read beside the window
    // Its columns are assigned in a sheet first.
    void importFrom(const std::filesystem::path& path);
    // The open run, for other programs: .csv, .fits or .ecsv.
    void saveRun(const std::filesystem::path& path);
    // Of the chosen night, or of the target or mount in view.
    void saveReport(const std::filesystem::path& path);

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    Needs needs_;
    using Then = std::function<void(Opened)>;
    void buildPages();
    void makeRoom();
    void read(const std::string& id, bool wholeNight, Then then);
    void compareAnew();
    void adopt(Opened opened);
    void refresh();
    void present(const LogView& view);
    void refreshFigures();
    void showTrialFigures();
    void showTrendFigures();
    void showTargetFigures();
    void showMountFigures();
    void askForReport();
    void saveNightReport(const std::filesystem::path& path);
    void written(const Expected<void>& done, const std::filesystem::path& path);
    QString reportName() const;
    void refreshPictures();
    void primaryPressed();
    void takeOver();
    void importNow(ImportSheet& sheet);
    void startTrial();
    void useSecond();
    void tick();
    void trialEnded(const TrialSlot::Seen& seen);

    QLineEdit* search_;
    NightStrip* strip_;
    QWidget* side_; // search and nights
    PhaseBar *pages_, *looks_, *seriesLooks_;
    QStackedLayout* stack_;
    NightPage* night_;
    QWidget* runPage_;
    QStackedLayout* runStack_;
    LaneChart* lanes_;
    ShapesChart* shapes_;
    ShapedFrame* frame_;
    PoleMap* pole_;
    FocusChart* focus_;
    QLabel* plain_;           // of what has no picture
    SpectrumChart* spectrum_; // owned by their views
    WormChart* worm_;
    BacklashChart* backlash_;
    ChartView *spectrumView_, *wormView_, *backlashView_;
    BudgetChart* budget_;
    ReplayPage* replay_;
    ComparePage* compare_;
    TrendsPage* trends_;
    TrialPage* trial_;
    TargetPage* target_;
    MountPage* mount_;
    ReadOut* figures_[4];
    QPushButton *recorded_, *use_, *report_, *import_, *save_;
    QTimer* timer_;

    Page page_ = Page::night;
    Look look_ = Look::lanes;
    int frameShown_ = 0; // of the open series; 0: its shapes
    int frameChosen_ = 0;
    LogView view_;       // of the night log, as last read
    std::string choose_; // entry that is chosen as soon as it is shown
    Opened opened_;
    std::string wanted_;  // being read; a newer wish takes its place
    bool byHand_ = false; // the night was chosen
    bool trialRunning_ = false;
    std::string trialEntry_;
    TrialSlot::Seen lastTrial_;
    ControllerSettings trialSecond_;
    QString told_; // what was done last, until something else is chosen
    Beside beside_{problems()}, frames_{problems()}, log_{problems()}; // go first: their work is waited for
};

} // namespace nordstjerna
