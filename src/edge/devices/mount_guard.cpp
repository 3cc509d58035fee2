#include "edge/devices/mount_guard.h"

#include <cmath>

#include "core/base/format.h"
#include "core/sky/observed_frame.h"
#include "core/sky/sun_distance.h"

namespace nordstjerna {

void MountGuard::setRig(const Rig& rig) {
    const std::scoped_lock guard(lock_);
    // Another site is another answer; the mount is heard again within a second.
    if (!rig_ || !(rig_->site == rig.site)) {
        told_.reset();
        seen_.reset();
        settled_h_.reset();
        clock_.clear();
    }
    rig_ = rig;
}

std::optional<TrackingEnd> MountGuard::trackingEnd(const MountState& state, double within_s) const {
    const std::scoped_lock guard(lock_);
    if (!rig_ || !state.told || !state.tracking || state.moving)
        return std::nullopt;
    std::optional<Rig> open;
    if (lookingAround_) {
        open = rig_;
        open->horizon = {};
    }
    return nordstjerna::trackingEnd(open ? *open : *rig_, state.pointing, state.side == "west", within_s);
}

Expected<void> MountGuard::maySlew(const MountState& from, const HourAngleDec& to, const std::string& side,
                                   Instant now) const {
    const std::scoped_lock guard(lock_);
    if (!rig_ || !from.told)
        return {};
    for (const auto* dispute : {&seen_, &told_})
        if (*dispute)
            return tl::unexpected((*dispute)->problem(rig_->site));
    if (covered_)
        return {};
    const bool flipped = side.empty() ? to.hourAngle.wrappedSigned().rad() > 0.0 : side == "west";
    const auto closest = closestToSun(rig_->site, now, {from.pointing, from.side == "west"}, {to, flipped});
    constexpr double keptAway_deg = 20.0;
    if (!closest || closest->deg() >= keptAway_deg)
        return {};
    return problem(
        Text::say("The way there passes %1° from the Sun.").arg(formatNumber(closest->deg(), 0)),
        Text::say(
            "Unfiltered sunlight destroys cameras and eyes within a second; slews keep %1° away from it.")
            .arg(formatNumber(keptAway_deg, 0)),
        Text::say(
            "Choose another target or wait for dusk. If the telescope is covered, say so in the menu Rig."));
}

void MountGuard::hear(const MountState& state, Instant asked, Instant heard) {
    const std::scoped_lock guard(lock_);
    if (!rig_ || !state.siderealTime)
        return;
    const double whenAsked_h = siderealAhead_h(rig_->site, asked, *state.siderealTime);
    const double whenHeard_h = siderealAhead_h(rig_->site, heard, *state.siderealTime);
    clock_.hear(whenAsked_h, whenHeard_h);
    const auto early = disputeOver(rig_->site, whenAsked_h);
    const auto late = disputeOver(rig_->site, whenHeard_h);
    // Ahead of the question and behind the answer: in between.
    const bool agrees = !early || !late || (early->mountAhead_h > 0.0 && late->mountAhead_h < 0.0);
    told_ = agrees ? std::nullopt : unlessSettled(late);
}

void MountGuard::see(const SolvedFrame& frame, const MountState& state) {
    const std::scoped_lock guard(lock_);
    if (!rig_ || !state.told || state.moving)
        return;
    const HourAngleDec seen = ObservedFrame(rig_->site, frame.when).hourAngleDec(frame.plane.centre);
    seen_ = unlessSettled(disputeOver(rig_->site, seen, state.pointing));
}

std::optional<TimeDispute> MountGuard::unlessSettled(std::optional<TimeDispute> dispute) const {
    constexpr double same_h = 0.1;
    if (dispute && settled_h_ && std::abs(dispute->mountAhead_h - *settled_h_) < same_h)
        dispute.reset();
    return dispute;
}

std::optional<TimeDispute> MountGuard::dispute() const {
    const std::scoped_lock guard(lock_);
    return seen_ ? seen_ : told_;
}

std::optional<Measured> MountGuard::clockAhead_s() const {
    const std::scoped_lock guard(lock_);
    return clock_.ahead_s();
}

void MountGuard::settleDispute() {
    const std::scoped_lock guard(lock_);
    if (const auto& dispute = seen_ ? seen_ : told_)
        settled_h_ = dispute->mountAhead_h;
    told_.reset();
    seen_.reset();
}

} // namespace nordstjerna
