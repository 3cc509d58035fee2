// The night as the window knows it: rig, devices, results, and the one procedure that may run. Procedures
// run in a worker thread; what they show arrives here by queued calls.
#pragma once

#include <QColor>
#include <QObject>
#include <cmath>
#include <filesystem>
#include <functional>
#include <future>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <thread>

#include "core/findings/finding.h"
#include "core/findings/run_story.h"
#include "core/guide/settings_book.h"
#include "core/motion/backlash.h"
#include "core/procedure/focus_run.h"
#include "core/procedure/pole_measurement.h"
#include "core/rates/calibration.h"
#include "core/series/series_plan.h"
#include "core/sky/almanac.h"
#include "desk/logbook.h"
#include "desk/problem_list.h"
#include "desk/trial_slot.h"
#include "edge/devices/observatory.h"
#include "edge/devices/prepared_camera.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "edge/store/evening_file.h"
#include "edge/store/folder_owner.h"
#include "edge/store/night_log.h"
#include "edge/store/rig_library.h"
#include "edge/store/write_queue.h"
#include "edge/watch.h"

namespace nordstjerna {

// A stretch of the night in which something was done; drawn on the night band.
struct NightBlock {
    Instant from, to;
    QString label;
    QColor colour;
    bool open = false; // still going on
    std::string entry; // in the night log; empty: none
};

class Session : public QObject {
    Q_OBJECT
public:
    // Runs of this session are written below `dataFolder`; what lies there from the last evening is taken up
    // again.
    Session(Scenario scenario, std::shared_ptr<StarIndex> index, std::filesystem::path dataFolder);
    ~Session() override;

    const Rig& rig() const { return rig_; }
    // The rig must be valid.
    void setRig(const Rig& rig);
    Instant now() const { return devices_.clock->now(); }
    // What clocks at the site show; the computer's zone where the rig names none that is known.
    const CivilTime& civilTime() const { return zone_; }
    // What is known beside a run of the rig in use.
    RunSurroundings surroundings() const;
    // The night of now; absent where the Sun does not set or rise.
    const std::optional<Night>& night();
    // As the mount last told; see Observatory.
    MountState mountState() const { return observatory_->mountState(); }
    const Observatory& observatory() const { return *observatory_; }
    const std::string& targetName() const { return targetName_; }
    Vec3 target() const { return target_; }
    HourAngleDec targetPlace() const; // now
    void setTarget(const std::string& name, const Vec3& icrs);
    // The extras of the stand-ins: hands, faults, the pace of time.
    SimulatedNight& simulatedNight() { return *night_; }
    std::filesystem::path newRunPath(const std::string& kind) const;
    // What is done is entered there: begun with the rig and target of now.
    Logbook& logbook() { return *logbook_; }
    LogEntry newEntry(EntryKind kind);
    // The next stretch on the night band is that of this entry.
    void blockIsOf(const std::string& entry) { nextEntry_ = entry; }
    // Where two sets of settings are tried while guiding goes on.
    TrialSlot& trial() { return *trial_; }
    std::shared_ptr<TrialSlot> trialSlot() const { return trial_; }
    const std::vector<NightBlock>& blocks() const { return blocks_; }

    // The rigs of this person. Choosing one brings what was measured with it; the one in use is always among
    // them.
    std::vector<RigLibrary::Listed> rigs();
    Expected<void> chooseRig(const std::string& id);
    // A copy with an identity of its own, in use from now on.
    void duplicateRig();
    // Not the one in use.
    Expected<void> removeRig(const std::string& id);

    // Whether what is changed here is kept; else another program of ours has this evening. Looks anew.
    bool ownsEvening();
    void takeEvening();

    // Where the person was, beside rig, target and settings: kept by the window.
    const std::string& station() const { return evening_.station; }
    const std::string& themeName() const { return evening_.theme; }
    bool findingsShown() const { return evening_.findings; }
    const std::string& windowPlace() const { return evening_.windowPlace; }
    void keepView(const std::string& station, const std::string& theme, bool findings,
                  const std::string& windowPlace);
    // Why the night log is not being written at present; empty when it is.
    const QString& notLogged() const { return notLogged_; }
    // From any thread; see WriteQueue::post.
    void writeBeside(WriteQueue::Work work, WriteQueue::Told told, const std::string& name) {
        queue_->post(std::move(work), std::move(told), name);
    }
    // All that was to be written is on disk. For the end, and for tests.
    bool flush(double patience_s) { return queue_->flush(patience_s); }

    // Results that other stations build on.
    const std::optional<PoleResult>& pole() const { return pole_; }
    void setPole(const PoleResult& result);
    const std::optional<Rates>& rates() const { return rates_; }
    // The same for the side of the pier where the mount hangs now: over there the picture stands on its head,
    // and which way Dec pulses work there must be seen once.
    std::optional<Rates> ratesHere() const;
    // It was seen: pulses work against what the carried rates say, or with them. Remembered for this rig.
    void setDecReverses(bool reverses);
    // In use from now on, and kept in the night log.
    void setRates(const Rates& rates);
    // In use again: measured before, so nothing is logged.
    void restoreRates(const Rates& rates);
    // Only kept in the night log: measured, but not to be used.
    void logRates(const Rates& rates);
    // Why the rates no longer describe the rig; empty when they do.
    const std::string& ratesAgedBy() const { return ratesAgedBy_; }
    bool ratesAged() const { return !ratesAgedBy_.empty(); }
    // The person says that the camera was turned or moved against the telescope.
    void ageRates(const std::string& reason);
    // The camera sits on a rotator that turned by this angle: the rates turn with it.
    void turnRates(double rotator_deg);
    // Rates of this rig from the night log, newest first.
    const std::vector<LoggedRates>& pastRates() const { return pastRates_; }

    // Settings of the guide loop; the exposure and the pulse limits are the rig's too.
    const SettingsBook& settings() const { return settings_; }
    void changeSetting(SettingKey key, double value, const std::string& origin,
                       const std::string& reason = "");
    void undoSetting(size_t change);

    // What was recorded tonight, for tuning: the last free run, and the last backlash test.
    const std::shared_ptr<const Run>& freeRun() const { return freeRun_; }
    // What it tells of the mount; absent where it was too short.
    const std::shared_ptr<const RunStory>& freeStory() const { return freeStory_; }
    void setFreeRun(const Run& run, std::shared_ptr<const RunStory> story) {
        freeRun_ = std::make_shared<const Run>(run);
        freeStory_ = std::move(story);
    }
    const std::optional<BacklashResult>& backlash() const { return backlash_; }
    void setBacklash(const std::optional<BacklashResult>& b) { backlash_ = b; }
    // What the runs of this rig taught so far, for the next to begin with. Remembered for this rig.
    LoopPriors taught() const;
    void learn(const LoopPriors& taught);

    // Guide stars chosen by hand; empty: by merit.
    const std::vector<Pixel>& handStars() const { return handStars_; }
    void setHandStars(std::vector<Pixel> stars) { handStars_ = std::move(stars); }
    PreparedCamera& guideCamera() { return *prepared_; }
    // Typical half-flux diameter when focusing ended, and the best seen; 0: not focused yet.
    struct Focus {
        double hfd_px = 0.0;
        double best_px = 0.0;
    };
    const Focus& focus() const { return focus_; }
    void setFocus(const Focus& focus);

    // Whether a motor moves this camera.
    bool hasFocuser(CameraRole camera) const { return focuserOf(devices_, camera) != nullptr; }
    // Where it stands, asked beside the window; `told` runs in the window.
    void askFocuser(CameraRole camera, std::function<void(const Expected<FocuserState>&)> told);
    // What the focus runs of this rig found, oldest first.
    std::vector<FocusedOnce> focused(CameraRole camera) const;
    // Whether it was focused, or its frames looked at, this evening; frames looked at are forgotten at the
    // end of the program.
    bool sharpened(CameraRole camera) const;
    void noteSharpened(CameraRole camera) { sharpened_.insert(camera); }
    // One more, into the night log; what it taught of heat and play is kept too.
    void keepFocused(CameraRole camera, const FocusResult& result);

    // The stars that frames are solved with.
    std::shared_ptr<StarIndex> starIndex() const { return index_; }
    // The targets of the night, kept as the person noted them.
    const std::vector<NotedTarget>& targets() const { return evening_.targets; }
    void keepTargets(std::vector<NotedTarget> targets);
    // How targets are centred, by the names of the fields.
    const std::map<std::string, double>& centring() const { return evening_.centring; }
    void keepCentring(const std::map<std::string, double>& fields);

    // Something uses the devices. A series may begin while nothing but guiding runs.
    bool busy() const { return worker_ != nullptr || guiding_; }
    bool working() const { return worker_ != nullptr; }
    bool guiding() const { return guiding_; }
    // Something may be asked for now: nothing is under way but what gives way to it. The second: beside
    // guiding.
    bool free() const { return !guiding_ && freeToWork(); }
    bool freeToWork() const { return !waiting_ && (!worker_ || givesWay_); }
    QString busyWith() const;

    // Starts a procedure. `take` copies in the worker what `show` presents in the window; only the newest
    // copy is presented when the window is slow. `work` runs in the worker after every step (files).
    template <typename P, typename Snapshot>
    void run(std::shared_ptr<P> procedure, std::function<Snapshot(const P&)> take,
             std::function<void(const Snapshot&)> show,
             std::function<void(std::shared_ptr<P>, const Expected<void>&)> done,
             std::function<void(P&)> work = {}) {
        RunnerHooks hooks = observed<P, Snapshot>(take, show, work);
        hooks.ahead = [this](Procedure& p) { messages_.deliver(p); };
        hooks.before = [this](const Procedure&, const Step& step) { announceSlew(step); };
        begin(procedure, hooks, [procedure, take, show, done](const Expected<void>& result) {
            show(take(*procedure));
            done(procedure, result);
        });
    }
    // The same for guiding, which has a thread of its own: ready to begin, by beginGuiding() or by a series.
    template <typename Snapshot>
    WatchPlan guidePlan(std::shared_ptr<Guiding> guiding, std::function<Snapshot(const Guiding&)> take,
                        std::function<void(const Snapshot&)> show,
                        std::function<void(std::shared_ptr<Guiding>, const Expected<void>&)> done,
                        std::function<void(Guiding&)> work) {
        WatchPlan plan;
        plan.guiding = guiding;
        plan.hooks = observed<Guiding, Snapshot>(take, show, work);
        plan.ended = [this, guiding, take, show, done](const Expected<void>& result) {
            QMetaObject::invokeMethod(
                this,
                [this, guiding, take, show, done, result] {
                    show(take(*guiding));
                    finishGuiding([&] { done(guiding, result); }, result);
                },
                Qt::QueuedConnection);
        };
        return plan;
    }
    void beginGuiding(WatchPlan plan);
    void stopGuiding(); // in good order
    // How guiding begins when a series wants it: what the station Guide would do, or why it cannot.
    void setGuideMaker(std::function<Expected<WatchPlan>()> maker) { guideMaker_ = std::move(maker); }
    // Runs in the thread that guides, between two steps.
    void tellGuiding(std::function<void(Guiding&)> message) { watch_.tell(std::move(message)); }
    std::vector<SettleRecord> settles() const { return watch_.settles(); }
    std::vector<SettleTrace> settleTraces() const { return watch_.settleTraces(); }

    // What the series still means to do, drawn on the night band.
    const std::optional<SeriesPlan>& plan() const { return plan_; }
    void setPlan(std::optional<SeriesPlan> plan) { plan_ = std::move(plan); }
    void addBlock(const NightBlock& block) { blocks_.push_back(block); }
    // Where frames go unless the person chose another folder, and the plan of the last series by its fields.
    std::filesystem::path imageFolder() const {
        return evening_.frameFolder.empty() ? dataFolder_ / "frames"
                                            : std::filesystem::path(evening_.frameFolder);
    }
    const std::map<std::string, double>& seriesPlan() const { return evening_.seriesPlan; }
    void keepSeriesPlan(const std::map<std::string, double>& plan, const std::filesystem::path& folder);

    // Runs in the worker between two steps of the procedure under way.
    void tell(std::function<void(Procedure&)> message) { messages_.post(std::move(message)); }
    void stop(); // in good order
    // At once: all motion, tracking too. Has its own way to the mount; halted() is told when the mount has
    // confirmed it, or that it has not.
    void halt();
    bool isHalted() const { return observatory_->halted(); }
    // Lets the mount track again after a halt.
    void resumeTracking();
    // Breaks off the procedure at once; the mount and guiding go on.
    void breakOff();
    void endWork(); // at once, the mount with it
    // Breaks off all that is running, for the end of the program.
    void abandon();

    // All that is wrong. What was asked for last has its own place there (ProblemCause::task).
    ProblemList& problems() { return problems_; }
    void reportProblem(const Problem& problem, const std::string& action = "",
                       const std::string& label = "") {
        problems_.report(ProblemCause::task, problem, action, label);
    }
    void clearProblem() { problems_.solved(ProblemCause::task); }
    // The newest one.
    std::optional<Problem> problem() const {
        return problems_.all().empty() ? std::nullopt : std::optional(problems_.all().back().problem);
    }

    // What the person does about a dispute over the meridian: this program is right.
    void settleDispute();
    void setCovered(bool covered) { observatory_->guard().setCovered(covered); }
    Observatory& observatory() { return *observatory_; }
    // The computer slept: whatever ran is broken off, for nobody watched the mount meanwhile.
    void wokeUp(double slept_s);

Q_SIGNALS:
    void rigChanged();
    void targetChanged();
    void resultsChanged();
    void settingsChanged();
    void busyChanged();
    void announced(const QString& text);
    void halted();
    void deviceTrouble(const QString& text); // empty: over

private:
    template <typename P, typename Snapshot>
    RunnerHooks observed(std::function<Snapshot(const P&)> take, std::function<void(const Snapshot&)> show,
                         std::function<void(P&)> work) {
        struct Mailbox {
            std::mutex lock;
            std::optional<Snapshot> latest;
        };
        auto box = std::make_shared<Mailbox>();
        auto deliver = [box, show] {
            std::optional<Snapshot> s;
            {
                const std::scoped_lock guard(box->lock);
                s.swap(box->latest);
            }
            if (s)
                show(*s);
        };
        RunnerHooks hooks;
        hooks.seen = [this, box, take, deliver, work](Procedure& p) {
            auto& own = static_cast<P&>(p);
            if (work)
                work(own);
            tellTrouble(own);
            // The newest one takes the place of one that the window has not fetched yet.
            auto snapshot = take(own);
            bool waiting = false;
            {
                const std::scoped_lock guard(box->lock);
                waiting = box->latest.has_value();
                box->latest = std::move(snapshot);
            }
            if (!waiting)
                QMetaObject::invokeMethod(this, deliver, Qt::QueuedConnection);
        };
        return hooks;
    }
    void announceSlew(const Step& step);
    void guidingBegins();
    void finishGuiding(const std::function<void()>& done, const Expected<void>& result);
    Expected<WatchPlan> guideForSeries(const StopFlag& halt);
    size_t openBlock(const QString& label);
    void closeBlock(size_t block);
    // Begins as soon as the worker has given way.
    struct Waiting {
        std::function<void()> begin;
        std::function<void()> never; // it was halted meanwhile
    };
    bool mayBegin(bool besideGuiding, Waiting other);
    void forgetWaiting();
    void begin(std::shared_ptr<Procedure> procedure, RunnerHooks hooks,
               std::function<void(const Expected<void>&)> finished);
    void finish(const std::function<void(const Expected<void>&)>& finished, const Expected<void>& result);
    void settingsToRig();
    void rigIsUsed();  // what must know of it is told
    void checkRates(); // against the rig
    void readPastRates();
    void takeLatestRates();
    void openLog();
    void restoreEvening();
    void keepEvening();
    void keepRig();
    Expected<void> rigsOnDisk();
    std::function<void(const Expected<void>&)> tellFailure(ProblemCause cause);
    RigLibrary library() const { return RigLibrary(dataFolder_ / "rigs"); }
    void tellTrouble(const Procedure& p);
    void endHalt();
    void sendHalt();
    void confirmHalt(const Expected<void>& done);
    void tracksAgain(const Expected<void>& done);

    ProblemList problems_;
    std::shared_ptr<SimulatedNight> night_; // a device that hangs may need it for longer
    std::unique_ptr<Observatory> observatory_;
    Devices devices_;
    Rig rig_;
    CivilTime zone_; // of its site
    std::string targetName_;
    Vec3 target_;
    std::filesystem::path dataFolder_;
    std::shared_ptr<FolderOwner> owner_; // of it
    std::optional<PoleResult> pole_;
    std::optional<Rates> rates_;
    std::string ratesAgedBy_;
    std::unique_ptr<PreparedCamera> prepared_;
    std::shared_ptr<StarIndex> index_;
    std::future<void> focuserAsked_;
    std::optional<NightLog> log_;
    std::vector<LoggedRates> pastRates_; // reading them fits each anew, so they are kept
    std::vector<Pixel> handStars_;
    std::shared_ptr<const Run> freeRun_;
    std::shared_ptr<const RunStory> freeStory_; // of it
    std::optional<BacklashResult> backlash_;
    SettingsBook settings_;
    Focus focus_;
    std::vector<NightBlock> blocks_;
    std::string nextEntry_; // of the block that opens next
    Evening evening_;
    bool restoring_ = true;
    bool eveningLost_ = false; // what lies there can neither be read nor moved
    QString notLogged_;
    std::atomic<bool> troubleTold_{false}; // by a worker
    std::atomic<bool> announcing_{false};

    // Found once a night and site.
    std::optional<Night> almanac_;
    Site almanacSite_;
    std::optional<Instant> almanacNoon_;
    std::function<Expected<WatchPlan>()> guideMaker_;
    std::optional<SeriesPlan> plan_;
    bool guiding_ = false;
    size_t guideBlock_ = 0, workBlock_ = 0; // on the night band
    std::unique_ptr<std::thread> worker_;
    std::unique_ptr<RunnerControl> control_;
    QString busyWith_;
    std::set<CameraRole> sharpened_;
    bool givesWay_ = false; // what the worker does
    std::optional<Waiting> waiting_;
    Messages<Procedure> messages_;
    Watch watch_{devices_};
    std::shared_ptr<TrialSlot> trial_ = std::make_shared<TrialSlot>();
    std::unique_ptr<Logbook> logbook_;
    std::unique_ptr<WriteQueue> queue_; // ends first: it calls back
};

} // namespace nordstjerna
