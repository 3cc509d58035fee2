// Expose: the series of the night. Plan, frames as they come, their shapes, dithers, settling, the flip.
#pragma once

#include "core/procedure/series.h"
#include "core/series/night_order.h"
#include "desk/beside.h"
#include "desk/evening/calibration_book.h"
#include "desk/evening/camera_desk.h"
#include "desk/evening/evening_store.h"
#include "desk/evening/focus_book.h"
#include "desk/evening/guide_host.h"
#include "desk/evening/mount_book.h"
#include "desk/evening/mount_desk.h"
#include "desk/logbook.h"
#include "desk/stations/expose/series_memory.h"
#include "desk/stations/station.h"

class QLabel;
class QPushButton;
class QStackedLayout;
class QTimer;

namespace nordstjerna {

class DitherChart;
class ShapedFrame;
class LadderBench;
class PhaseBar;
class PlanCard;
class RehearsalPage;
class ReadOut;
class SeriesKeeper;
class SeriesRecorder;
class SettleStrip;
class ShapesChart;
class TargetsPage;

class ExposeStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        EveningStore& evening;
        WriteQueue& writes;
        Logbook& logbook;
        CalibrationBook& calibrationBook;
        MountBook& mountBook;
        MountDesk& mountDesk;
        FocusBook& focusBook;
        CameraDesk& cameraDesk;
        GuideHost& guideHost;
    };
    ExposeStation(const StationParts& parts, const Needs& needs, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;

    enum class Page { frame, shapes, dither, ladder, targets, rehearsal };
    void showPage(Page page);
    const std::vector<SeriesFrame>& frames() const { return seen_.frames; }
    bool running() const { return running_; }
    // Frames are saved below this folder.
    void saveIn(const std::filesystem::path& folder);
    // The plan's beginning or end was drawn to another time; a series that runs takes the end too.
    void beginAt(Instant t);
    void endAt(Instant t);

private:
    Needs needs_;
    struct Seen {
        Progress progress;
        Series::Phase phase = Series::Phase::start;
        std::vector<SeriesFrame> frames;
        std::shared_ptr<const Frame> frame;
        std::optional<SolvedFrame> solved;
        std::optional<SeriesPlan> plan;
        std::optional<FlipRecord> flipped;
        SeriesStory story;
        std::optional<FocusResult> focused;
        std::optional<Problem> unsaved;
        Text waitingFor, ending, mountAfterwards;
        std::optional<Problem> trouble; // until it is tried again
        Instant againAt;
        Instant exposedSince;
        double exposure_s = 0.0;
        SeriesEarlier done; // with an earlier part of it
        std::vector<DitherSpot> ahead;
        bool flipPauses = false;
        bool stoppedByHand = false;
        std::string filter;
        bool filterByHand = false; // a person is to change it
        Text notCold;
    };
    SeriesSetup wanted() const;
    void replan();
    void planLater(); // what the targets after it get
    void goOn();      // with the next one that fits
    void keepPlan();
    void orderTargets();
    void restAfter(const SeriesSetup& ended);
    void begin(const BrokenSeries* earlier = nullptr);
    void takeUp(); // the series that was broken off
    void tellBroken();
    bool mayTakeUp() const;
    void followFlexure();
    const SeriesFrame* frameOf(int number) const;
    std::optional<Finding> turnedSince() const;
    bool rehearsing() const; // its page is open
    QString runningSentence() const;
    void flipAlone();
    void testExposure();
    void ladder();
    void useSettling();
    double lastFwhm_arcsec() const; // 0: nothing taken yet
    void show(const Seen& seen);
    void ended(const Expected<void>& result);
    void logSeries(const Expected<void>& result);
    void finishTable();
    QString savedText() const;
    void refresh();
    void refreshFigures();
    void refreshPictures();
    void tick();
    void lookAfterFrames();
    void choose(int number);
    void markBlocks();
    void pausePressed();
    void stopNow();
    static QString phaseWord(Series::Phase phase);
    QString planSentence(const SeriesPlan& plan) const;
    QString clock(Instant t) const;

    PlanCard* card_;
    PhaseBar* pages_;
    QStackedLayout* stack_;
    ShapedFrame* view_;
    ShapesChart* shapes_;
    DitherChart* dither_;
    LadderBench* ladder_;
    TargetsPage* targetsPage_;
    RehearsalPage* rehearsal_;
    Beside ordering_;
    SeriesMemory memory_;
    std::optional<double> rollBefore_deg_; // of the sensor, when the series was broken off
    std::vector<Finding> leftOut_;         // targets that got no frame after all
    SettleStrip* strip_;
    ReadOut *count_, *width_, *round_, *settle_;
    QPushButton *pause_, *stop_, *test_, *flip_, *climb_, *folder_, *takeUp_;
    QTimer* timer_;
    Seen seen_;
    std::shared_ptr<SeriesKeeper> keeper_;
    // Of series before, whose frames could not be written yet.
    std::vector<std::shared_ptr<SeriesKeeper>> formerKeepers_;
    std::shared_ptr<SeriesRecorder> recorder_; // of the same series
    std::string recorded_;                     // its entry
    std::filesystem::path saveFolder_;
    int chosen_ = 0; // 0: the newest
    size_t blocksMade_ = 0;
    std::optional<SettleAdvice> settleAdvice_;
    size_t advisedOn_ = 0; // dithers
    std::string entry_;    // of the series, in the night log
    SeriesSetup begun_;    // of it
    bool running_ = false; // a series
    bool alone_ = false;   // a flip or a test exposure
    bool pausing_ = false, stopping_ = false;
    bool late_ = false;         // frames of a series that has ended are still to be written
    int sincePlanned_ = 0;      // ticks
    Beside beside_{problems()}; // goes first: its work is waited for
};

} // namespace nordstjerna
