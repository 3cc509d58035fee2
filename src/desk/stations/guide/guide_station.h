// Guide: the closed loop, live.
#pragma once

#include <atomic>
#include <thread>

#include "core/motion/axis_summary.h"
#include "core/motion/guided_budget.h"
#include "core/motion/recent_mount.h"
#include "core/motion/run_feed.h"
#include "core/motion/tune.h"
#include "core/procedure/guiding.h"
#include "desk/evening/calibration_book.h"
#include "desk/evening/guide_host.h"
#include "desk/evening/guide_settings.h"
#include "desk/evening/mount_book.h"
#include "desk/evening/mount_desk.h"
#include "desk/run_keeper.h"
#include "desk/stations/station.h"

class QPushButton;

namespace nordstjerna {

class ControllersDrawer;
class LaneChart;
class ProposalKeeper;
class ReadOut;
class Spot;
class StarStrip;
class TuneSheet;

class GuideStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        GuideSettings& settings;
        CalibrationBook& calibrationBook;
        MountBook& mountBook;
        MountDesk& mountDesk;
        GuideHost& guideHost;
    };
    GuideStation(const StationParts& parts, const Needs& needs, const RunKeeper& runs,
                 QWidget* parent = nullptr);
    ~GuideStation() override;
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;
    void arrive() override {
        refresh(); // the sky has turned meanwhile
        Station::arrive();
    }
    bool guiding() const { return guiding_; }
    const Run& run() const { return run_; }
    QString runFile() const;

private:
    Needs needs_;
    RunKeeper runs_;
    struct Snapshot {
        Progress progress;
        std::vector<StarGroup::Member> stars;
        std::shared_ptr<const Frame> frame;
        LoopState loop = LoopState::acquiring;
        std::optional<Problem> runaway;
        std::optional<bool> decReversed;
        std::optional<AxisBelief> ra, dec;
        std::shared_ptr<const GuidedBudget> budget; // of the run so far
        bool lost = false;
        int failedPulses = 0;   // in a row
        SettleRule settle = {}; // in force
        Response raResponse = {}, decResponse = {};
        std::optional<CalibrationLook> calibrationLook = {};
        LightVerdict light = {};
        std::optional<UnevenLight> unevenLight = {};
        std::optional<RecentMount> recentMount = {};
    };
    static constexpr double rmsWindow_s = 300.0; // of which all figures speak
    // Judges the run beside the recording, ever more seldom as it grows, and its last minutes.
    struct Live;
    void start();
    Expected<GuideRunnerPlan> makePlan();
    void pointAtTarget();
    void show(const Snapshot& s);
    void heedLight(const LightVerdict& light);
    void refresh();
    void showSettings();
    void showFigures();
    void tuneNow();
    void useProposal(const std::vector<Recommendation>& changes);
    void undoProposal();
    QString clockOf(Instant t) const;
    QString sentence() const;
    struct Ending {
        double seconds;
        QString why;
    };
    Ending timeToStop() const;

    LaneChart* lanes_;
    Spot* spot_;
    StarStrip* strip_;
    ReadOut *total_, *mount_, *axes_, *stars_;
    QPushButton* target_;
    QPushButton* drawerButton_;
    QPushButton* tuneButton_;
    ControllersDrawer* drawer_;
    TuneSheet* sheet_;
    QPushButton* backToNow_;
    Run run_;
    std::vector<RowBelief> beliefs_;
    std::shared_ptr<RunFeed> feed_;
    std::shared_ptr<const GuidedBudget> budget_;
    std::optional<RecentMount> recentMount_;
    ProposalKeeper* proposal_; // of Tune, that was taken over
    std::optional<Tune> found_;
    std::thread tuner_;
    std::atomic<bool> stopTuning_{false};
    bool tuning_ = false;
    Run window_; // its last minutes, of which all figures speak
    std::optional<RunSummary> summary_;
    LightVerdict light_; // of the guide stars
    std::optional<UnevenLight> unevenLight_;
    bool guiding_ = false;
    bool lost_ = false;
    int failedPulses_ = 0;
    LoopState loop_ = LoopState::acquiring;
    SettleRule settle_; // in force
    std::optional<Problem> runaway_;
    bool told_ = false; // which way Dec works here
};

} // namespace nordstjerna
