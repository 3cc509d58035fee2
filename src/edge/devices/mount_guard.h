// What keeps a mount from harm, whoever commands it: its limits, the horizon, the Sun, and whether it and the
// program agree on where the meridian is. Thread-safe.
#pragma once

#include <atomic>
#include <mutex>
#include <optional>

#include "core/procedure/procedure.h"
#include "core/rig/rig.h"
#include "core/rig/tracking_end.h"
#include "core/sky/clock_offset.h"
#include "core/sky/time_check.h"

namespace nordstjerna {

class MountGuard {
public:
    // Until a rig is known, nothing is guarded.
    void setRig(const Rig& rig);
    // The person says that the telescope is covered: the Sun can do no harm.
    void setCovered(bool covered) { covered_ = covered; }
    bool covered() const { return covered_; }

    // The local horizon is being looked for: until that ends the one of the rig is not asked, the lowest
    // altitude is.
    void setLookingAround(bool looking) { lookingAround_ = looking; }

    // Where tracking on ends within so many seconds. Nothing for a mount that does not track, or moves.
    std::optional<TrackingEnd> trackingEnd(const MountState& state, double within_s) const;

    // Whether it may be sent there: not into a limit, not close to the Sun, not before a dispute is settled.
    Expected<void> maySlew(const MountState& from, const HourAngleDec& to, const std::string& side,
                           Instant now) const;

    // What the mount tells of its time: somewhere between asking it and hearing the answer, which may be long
    // where it hangs, the computer sleeps, or simulated time jumps.
    void hear(const MountState& state, Instant asked, Instant heard);
    // A frame exposed while the mount stood still, solved: where the stars say it points.
    void see(const SolvedFrame& frame, const MountState& state);
    std::optional<TimeDispute> dispute() const;
    // How far the mount's clock is ahead of this program's; absent: it does not tell its time.
    std::optional<Measured> clockAhead_s() const;
    // The person has looked and says that this program is right. Another dispute is a new one.
    void settleDispute();

private:
    std::optional<TimeDispute> unlessSettled(std::optional<TimeDispute> dispute) const;
    mutable std::mutex lock_;
    std::optional<Rig> rig_;
    std::optional<TimeDispute> told_, seen_;
    ClockOffset clock_;
    std::optional<double> settled_h_; // a difference that the person knows of
    std::atomic<bool> covered_{false}, lookingAround_{false};
};

} // namespace nordstjerna
