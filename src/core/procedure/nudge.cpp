#include "core/procedure/nudge.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/procedure/slew.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {
const char* wayName(NudgeWay way) {
    switch (way) {
    case NudgeWay::north:
        return Text::mark("north");
    case NudgeWay::south:
        return Text::mark("south");
    case NudgeWay::east:
        return Text::mark("east");
    case NudgeWay::west:
        break;
    }
    return Text::mark("west");
}
} // namespace

HourAngleDec nudged(const HourAngleDec& from, NudgeWay way, Angle step) {
    HourAngleDec to = from;
    constexpr double nearPole = 0.1; // a step there is no more than ten of the axis
    const Angle along = Angle::fromRad(step.rad() / std::max(nearPole, cos(from.dec)));
    switch (way) {
    case NudgeWay::north:
        to.dec = from.dec + step;
        break;
    case NudgeWay::south:
        to.dec = from.dec - step;
        break;
    case NudgeWay::east:
        to.hourAngle = (from.hourAngle - along).wrappedSigned();
        break;
    case NudgeWay::west:
        to.hourAngle = (from.hourAngle + along).wrappedSigned();
        break;
    }
    return to;
}

std::optional<Problem> nudgeObstacle(const Rig& rig, const MountState& mount, const HourAngleDec& place) {
    if (std::abs(place.dec.deg()) > 90.0)
        return Problem{Text::say("The move would lead over the pole."),
                       Text::say("The declination ends there."),
                       Text::say("Slew to the other side instead.")};
    if (auto hidden = slewObstacle(rig, place))
        return hidden;
    const double altitude = altAzFrom(directionOf(rig.site, place)).altitude.deg();
    if (altitude < rig.mount.lowestAltitude.deg())
        return Problem{Text::say("The move would lead below the lowest altitude."),
                       Text::say("It would end %1° up; the rig allows %2° and more.")
                           .arg(formatNumber(altitude, 1))
                           .arg(formatNumber(rig.mount.lowestAltitude.deg(), 0)),
                       Text::say("Move the other way, or change the limit in the rig.")};
    const double h = place.hourAngle.wrappedSigned().hours();
    const bool east = mount.side != "west";
    const double limit = (east ? rig.mount.meridianLimitEast : rig.mount.meridianLimitWest).hours();
    if (east ? h > limit && h < 6.0 : h < -limit && h > -6.0)
        return Problem{Text::say("The move would lead past the limit of the mount."),
                       (east ? Text::say("Looking east it reaches %1 h past the meridian.")
                             : Text::say("Looking west it reaches %1 h past the meridian."))
                           .arg(formatNumber(limit, 1)),
                       Text::say("Flip first, or move the other way.")};
    const double from = mount.pointing.hourAngle.wrappedSigned().hours();
    const bool crosses = from * h < 0.0 && std::abs(h) < 6.0;
    if (crosses && !mount.choosesSide)
        return Problem{Text::say("The move would lead over the meridian."),
                       Text::say("This mount chooses its side itself and would flip there."),
                       Text::say("Let it track over the meridian, or slew to the other side.")};
    return std::nullopt;
}

Step Nudge::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (moved_)
        return DoneStep{};
    moved_ = true;
    if (setup_.pulse_ms > 0.0) {
        const double ra = setup_.way == NudgeWay::west ? 1.0 : setup_.way == NudgeWay::east ? -1.0 : 0.0;
        const double dec = setup_.way == NudgeWay::north ? 1.0 : setup_.way == NudgeWay::south ? -1.0 : 0.0;
        return PulseStep{ra * setup_.pulse_ms, dec * setup_.pulse_ms};
    }
    const HourAngleDec place = nudged(event.mount.pointing, setup_.way, setup_.step);
    if (const auto obstacle = nudgeObstacle(setup_.rig, event.mount, place))
        return FailStep{*obstacle};
    return announcedSlew(
        setup_.rig, event, place,
        Text::say("Moving %1 to the %2").arg(formatSkyAngle(setup_.step)).arg(Text::say(wayName(setup_.way))),
        sideKept(event.mount));
}

Progress Nudge::progress() const {
    Progress p;
    p.steps = {{Text::say("Move"), moved_ ? ProgressStep::State::running : ProgressStep::State::ahead}};
    p.fraction = -1.0;
    p.waitingFor = Text::say("the telescope to move %1").arg(Text::say(wayName(setup_.way)));
    return p;
}

} // namespace nordstjerna
