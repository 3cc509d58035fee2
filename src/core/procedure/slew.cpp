#include "core/procedure/slew.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

std::optional<Problem> slewObstacle(const Rig& rig, const HourAngleDec& place) {
    const Vec3 enu = directionOf(rig.site, place);
    if (!rig.horizon.hides(enu) && enu.z() > 0.0)
        return std::nullopt;
    const AltAz a = altAzFrom(enu);
    return Problem{"The target is hidden.",
                   "It stands at altitude " + formatNumber(a.altitude.deg(), 0) + "°, azimuth " +
                       formatNumber(a.azimuth.deg(), 0) + "°; the sky is free above " +
                       formatNumber(rig.horizon.altitudeAt(a.azimuth).deg(), 0) + "° there.",
                   "Choose another target or wait."};
}

SlewStep announcedSlew(const Rig& rig, const Event& event, const HourAngleDec& place,
                       const std::string& purpose, const std::string& side) {
    const HourAngleDec& from = event.mount.pointing;
    const double way = std::max(std::abs((place.hourAngle - from.hourAngle).wrappedSigned().deg()),
                                std::abs((place.dec - from.dec).deg()));
    return {place, purpose + ", about " + formatDuration(way / rig.mount.slewRate_deg_s), side};
}

std::string sideKept(const MountState& mount) {
    return mount.choosesSide ? mount.side : std::string();
}

Slew::Slew(const Rig& rig, const HourAngleDec& target, std::string purpose, double settle_s)
    : rig_(rig), target_(target), purpose_(std::move(purpose)), settle_s_(settle_s) {}

Step Slew::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    switch (done_++) {
    case 0:
        if (const auto obstacle = slewObstacle(rig_, target_))
            return FailStep{*obstacle};
        return announcedSlew(rig_, event, target_, purpose_);
    case 1:
        return TrackingStep{true};
    case 2:
        return WaitStep{settle_s_, "the mount settles"};
    default:
        return DoneStep{};
    }
}

Progress Slew::progress() const {
    using State = ProgressStep::State;
    Progress p;
    p.steps = {{"Slew", done_ > 1 ? State::done : State::running},
               {"Settle", done_ > 2 ? State::running : State::ahead}};
    p.waitingFor = done_ > 2 ? "the mount settles" : purpose_;
    return p;
}

} // namespace nordstjerna
