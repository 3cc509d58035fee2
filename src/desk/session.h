// The night as the window knows it: rig, devices, results, and the one procedure that may run. Procedures
// run in a worker thread; what they show arrives here by queued calls.
#pragma once

#include <QColor>
#include <QObject>
#include <filesystem>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

#include "core/findings/finding.h"
#include "core/guide/settings_book.h"
#include "core/procedure/pole_measurement.h"
#include "core/rates/calibration.h"
#include "core/sky/almanac.h"
#include "edge/devices/prepared_camera.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "edge/store/night_log.h"

namespace nordstjerna {

// A stretch of the night in which something was done; drawn on the night band.
struct NightBlock {
    Instant from, to;
    QString label;
    QColor colour;
};

class Session : public QObject {
    Q_OBJECT
public:
    // Runs of this session are written below `dataFolder`.
    Session(Scenario scenario, std::shared_ptr<StarIndex> index, std::filesystem::path dataFolder);
    ~Session() override;

    const Rig& rig() const { return rig_; }
    // The rig must be valid.
    void setRig(const Rig& rig);
    Instant now() const { return night_->clock().now(); }
    MountState mountState() const { return night_->mount().state(); }
    const std::string& targetName() const { return targetName_; }
    Vec3 target() const { return target_; }
    HourAngleDec targetPlace() const; // now
    void setTarget(const std::string& name, const Vec3& icrs);
    SimulatedNight& simulatedNight() { return *night_; }
    std::filesystem::path newRunPath(const std::string& kind) const;
    const std::vector<NightBlock>& blocks() const { return blocks_; }

    // Results that other stations build on.
    const std::optional<PoleResult>& pole() const { return pole_; }
    void setPole(const PoleResult& result);
    const std::optional<Rates>& rates() const { return rates_; }
    // The same for the side of the pier where the mount hangs now: over there the picture stands on its head.
    std::optional<Rates> ratesHere() const;
    // In use from now on, and kept in the night log.
    void setRates(const Rates& rates);
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

    bool busy() const { return worker_ != nullptr; }
    QString busyWith() const { return busyWith_; }

    // Starts a procedure. `take` copies in the worker what `show` presents in the window; only the newest
    // copy is presented when the window is slow. `work` runs in the worker after every step (files).
    template <typename P, typename Snapshot>
    void run(std::shared_ptr<P> procedure, std::function<Snapshot(const P&)> take,
             std::function<void(const Snapshot&)> show,
             std::function<void(std::shared_ptr<P>, const Expected<void>&)> done,
             std::function<void(P&)> work = {}) {
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
        hooks.after = [this, box, take, deliver, work](Procedure& p) {
            auto& own = static_cast<P&>(p);
            runMessages(own);
            if (work)
                work(own);
            {
                const std::scoped_lock guard(box->lock);
                const bool waiting = box->latest.has_value();
                if (waiting)
                    return; // the window has not caught up; it will be served by a later step
                box->latest = take(own);
            }
            QMetaObject::invokeMethod(this, deliver, Qt::QueuedConnection);
        };
        begin(procedure, hooks, [procedure, box, take, show, done](const Expected<void>& result) {
            show(take(*procedure));
            done(procedure, result);
        });
    }
    // Runs in the worker between two steps of the procedure under way.
    void tell(std::function<void(Procedure&)> message);
    void stop(); // in good order
    void halt(); // at once

    void reportProblem(const Problem& problem);
    void clearProblem();
    const std::optional<Problem>& problem() const { return problem_; }

Q_SIGNALS:
    void rigChanged();
    void targetChanged();
    void resultsChanged();
    void settingsChanged();
    void busyChanged();
    void announced(const QString& text);
    void problemChanged();

private:
    void begin(std::shared_ptr<Procedure> procedure, RunnerHooks hooks,
               std::function<void(const Expected<void>&)> finished);
    void finish(const std::function<void(const Expected<void>&)>& finished, const Expected<void>& result);
    void runMessages(Procedure& p);
    void settingsToRig();
    void checkRates(); // against the rig
    void readPastRates();

    std::unique_ptr<SimulatedNight> night_;
    Devices devices_;
    Rig rig_;
    std::string targetName_;
    Vec3 target_;
    std::filesystem::path dataFolder_;
    std::optional<PoleResult> pole_;
    std::optional<Rates> rates_;
    std::string ratesAgedBy_;
    std::unique_ptr<PreparedCamera> prepared_;
    std::optional<NightLog> log_;
    std::vector<LoggedRates> pastRates_; // reading them fits each anew, so they are kept
    std::vector<Pixel> handStars_;
    SettingsBook settings_;
    Focus focus_;
    std::optional<Problem> problem_;
    std::vector<NightBlock> blocks_;

    std::unique_ptr<std::thread> worker_;
    std::unique_ptr<RunnerControl> control_;
    QString busyWith_;
    std::mutex messageLock_;
    std::vector<std::function<void(Procedure&)>> messages_;
};

} // namespace nordstjerna
