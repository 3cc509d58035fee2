// What the desk holds of the devices: their ports, and what is known of them without asking. The mount is
// asked for its state by a thread of the observatory, a few times a second, and whoever runs a procedure
// hears it with every step; reading what was last told never waits, whatever a device does. A command is
// waited for as long as is reasonable: then it has failed, and who gave it goes on.
#pragma once

#include <condition_variable>
#include <memory>
#include <thread>

#include "edge/devices/devices.h"
#include "edge/devices/helpers.h"
#include "edge/devices/link.h"
#include "edge/devices/mount_guard.h"

namespace nordstjerna {

class Observatory {
public:
    // patience_s: so long the mount may take to tell its state before its link counts as silent. owner: what
    // the devices belong to; it lives until the last command is back. Absent: they outlive the observatory
    // and what they were told. command_s: so long a short command to the mount may take.
    static constexpr double usual_patience_s = 3.0;
    static constexpr double usual_command_s = 20.0;
    explicit Observatory(const Devices& devices, double patience_s = usual_patience_s,
                         std::shared_ptr<const void> owner = nullptr, double command_s = usual_command_s);
    ~Observatory();
    Observatory(const Observatory&) = delete;
    Observatory& operator=(const Observatory&) = delete;

    // Ports that take note of each answer, and what is done by them. What they do is what the devices do; a
    // frame that came before is a failure, and so is an answer that does not come.
    const Devices& devices() const { return watched_; }
    // As last told. Before the first answer all is zero and `told` is false.
    MountState mountState() const;
    LinkState mountLink() const { return mountLink_.state(); }
    // Of each device that is there, how it answers.
    struct NamedLink {
        Text name;        // as a person reads it
        const void* port; // as devices() has it
        LinkState state;
    };
    std::vector<NamedLink> links() const;
    // Of the imaging camera; null: it has none.
    CoolerKeeper* cooling() const { return cooling_.get(); }

    // Commands that the window gives by itself, each in a thread of its own: `done` is called there. A halt
    // never waits behind anything, not even behind a halt that was not answered. What is not confirmed in
    // time has failed.
    using Done = std::function<void(const Expected<void>&)>;
    // From here on the mount moves for nobody, whatever is still on its way to it, until release().
    void halt(Done done);
    void setTracking(bool on, Done done);
    // Parks, or lets the mount take commands again; the latter ends a halt.
    void park(bool on, Done done);
    // The person's next command ends the halt.
    void release() { halted_ = owesHalt_ = false; }
    bool halted() const { return halted_; }

    // Limits, horizon, Sun and meridian, asked by every command that moves the mount. Tracking is ended where
    // they say so, by whoever asks the mount for its state next.
    MountGuard& guard() { return guard_; }
    // Why tracking was ended, until it is on again.
    std::optional<TrackingEnd> trackingEnded() const;
    // What was changed on the mount and could not be put back yet: a rate of its own, tracking, a halt
    // without an answer. It is put back as soon as the mount answers.
    bool owes() const { return owesRate_ || owesRest_ || owesHalt_; }

private:
    class WatchedMount;
    class WatchedCamera;
    struct Linked;
    template <typename Port>
    class WatchedMover;
    class WatchedCooler;
    template <typename Port>
    void watch(Port* Devices::*device, const Text& kind, const Text& name);
    void look();
    void command(std::function<Expected<void>()> what, bool thenTracking, Done done);

    MountGuard guard_;
    std::atomic<bool> halted_{false};
    std::atomic<bool> owesRate_{false}, owesRest_{false}, owesHalt_{false};
    std::optional<TrackingEnd> ended_;
    Helpers helpers_;
    Devices own_, watched_;
    Link mountLink_;
    std::unique_ptr<WatchedMount> mount_;
    std::unique_ptr<WatchedCamera> guideCamera_, imagingCamera_;
    std::vector<std::unique_ptr<Linked>> movers_;
    std::unique_ptr<WatchedCooler> cooler_;
    std::unique_ptr<CoolerKeeper> cooling_;
    mutable std::mutex lock_;
    std::condition_variable wake_;
    StopFlag ending_{false};
    MountState last_;
    struct Command {
        std::thread thread;
        std::shared_ptr<std::atomic<bool>> over;
    };
    std::vector<Command> commands_;
    std::thread looking_;
};

} // namespace nordstjerna
