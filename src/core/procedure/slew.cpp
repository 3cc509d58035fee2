#include "core/procedure/slew.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/pole/sighting_plan.h"

namespace nordstjerna {

Slew::Slew(const Rig& rig, const HourAngleDec& target, std::string purpose, double settle_s)
    : rig_(rig), target_(target), purpose_(std::move(purpose)), settle_s_(settle_s) {}

Step Slew::next(const Event& event) {
    if (const auto* failed = std::get_if<StepFailed>(&event.what))
        return FailStep{failed->problem};
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    switch (done_++) {
    case 0: {
        const Vec3 enu = directionOf(rig_.site, target_);
        const AltAz a = altAzFrom(enu);
        if (rig_.horizon.hides(enu) || enu.z() < 0.0)
            return FailStep{{"That place is hidden.",
                             "It stands at altitude " + formatNumber(a.altitude.deg(), 0) + "°, azimuth " +
                                 formatNumber(a.azimuth.deg(), 0) + "°; the sky is free above " +
                                 formatNumber(rig_.horizon.altitudeAt(a.azimuth).deg(), 0) + "° there.",
                             "Choose another place or wait."}};
        const double way =
            std::max(std::abs((target_.hourAngle - event.mount.pointing.hourAngle).wrappedSigned().deg()),
                     std::abs((target_.dec - event.mount.pointing.dec).deg()));
        return SlewStep{target_, purpose_ + ", about " + formatDuration(way / rig_.mount.slewRate_deg_s)};
    }
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
