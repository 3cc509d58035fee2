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
    return Problem{Text::say("The target is hidden."),
                   Text::say("It stands at altitude %1°, azimuth %2°; the sky is free above %3° there.")
                       .arg(formatNumber(a.altitude.deg(), 0))
                       .arg(formatNumber(a.azimuth.deg(), 0))
                       .arg(formatNumber(rig.horizon.altitudeAt(a.azimuth).deg(), 0)),
                   Text::say("Choose another target or wait.")};
}

SlewStep announcedSlew(const Rig& rig, const Event& event, const HourAngleDec& place, const Text& purpose,
                       const std::string& side) {
    const HourAngleDec& from = event.mount.pointing;
    const double way = std::max(std::abs((place.hourAngle - from.hourAngle).wrappedSigned().deg()),
                                std::abs((place.dec - from.dec).deg()));
    return {place, Text::say("%1, about %2").arg(purpose).arg(formatDuration(way / rig.mount.slewRate_deg_s)),
            side};
}

std::string sideKept(const MountState& mount) {
    return mount.choosesSide ? mount.side : std::string();
}

Slew::Slew(const Rig& rig, const HourAngleDec& target, Text purpose, double settle_s)
    : rig_(rig), target_(target), purpose_(std::move(purpose)), settle_s_(settle_s) {}

Step Slew::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (!begun_) {
        begun_ = true;
        if (const auto obstacle = slewObstacle(rig_, target_))
            return FailStep{*obstacle};
        return arrival_.begin(announcedSlew(rig_, event, target_, purpose_), settle_s_);
    }
    return arrival_.next().value_or(DoneStep{});
}

Progress Slew::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const bool arrived = begun_ && !arrival_.slewing();
    const bool settles = begun_ && !arrival_.moving();
    p.steps = {{Text::say("Slew"), arrived ? State::done : State::running},
               {Text::say("Settle"), settles ? State::running : State::ahead}};
    p.waitingFor = settles ? Text::say("the mount settles") : purpose_;
    return p;
}

} // namespace nordstjerna
