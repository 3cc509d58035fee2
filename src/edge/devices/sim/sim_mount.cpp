#include "edge/devices/sim/sim_mount.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/pole/sighting_plan.h"
#include "edge/runner.h"

namespace nordstjerna {

Expected<MountState> SimMount::state() const {
    const auto reached = reach();
    if (!reached)
        return tl::unexpected(reached.error());
    MountState s;
    s.pointing = night_.mechanics_.believed();
    s.side = night_.mechanics_.flipped() ? "west" : "east";
    s.tracking = night_.mechanics_.tracking();
    s.moving = night_.mechanics_.slewing();
    s.worm_turns = night_.mechanics_.reportedWorm();
    if (night_.scenario_.tellsTime)
        s.siderealTime = ObservedFrame(night_.scenario_.rig.site, night_.mechanics_.when()).siderealTime() +
                         Angle::fromHours(night_.scenario_.clockError_s / 3600.0);
    s.correcting = night_.mechanics_.playing();
    s.guideRateRa = night_.scenario_.rig.mount.guideRateRa;
    s.guideRateDec = night_.scenario_.rig.mount.guideRateDec;
    s.choosesSide = night_.scenario_.choosesSide;
    s.parks = night_.scenario_.parks;
    s.parked = parked_;
    return s;
}

// How far each side reaches beyond the meridian.
Expected<void> SimMount::mayHang(const std::string& side, const HourAngleDec& target) const {
    if (side.empty())
        return {};
    if (!night_.scenario_.choosesSide)
        return problem(Text::say("The mount refused the slew."), Text::say("It does not accept a pier side."),
                       Text::say("Let it choose the side itself."));
    const MountSpec& mount = night_.scenario_.rig.mount;
    const double past_h = target.hourAngle.wrappedSigned().hours();
    const bool reaches =
        side == "west" ? past_h > -mount.meridianLimitWest.hours() : past_h < mount.meridianLimitEast.hours();
    if (!reaches)
        return problem(Text::say("The mount refused the slew."),
                       Text::say("On the %1 side it does not reach %2 h beyond the meridian.")
                           .arg(side)
                           .arg(formatNumber(std::abs(past_h), 1)),
                       Text::say("Wait until the target is nearer to the meridian."));
    return {};
}

Expected<void> SimMount::slewOn(const HourAngleDec& target, const std::string& side, const StopFlag& halt) {
    const AltAz place = altAzFrom(directionOf(night_.scenario_.rig.site, target));
    if (place.altitude.deg() < 0.0)
        return problem(
            Text::say("The mount refused the slew."),
            Text::say("Its target lies %1° below the horizon.").arg(formatNumber(-place.altitude.deg(), 0)),
            Text::say("Choose a target that is up."));
    if (std::abs(target.dec.deg()) > 90.0)
        return problem(Text::say("The mount refused the slew."),
                       Text::say("The declination is beyond the pole."), Text::say("Correct the target."));
    if (auto may = mayHang(side, target); !may)
        return may;
    return goTo(target, side, halt);
}

Expected<void> SimMount::awake() const {
    if (!parked_)
        return {};
    return problem(Text::say("The mount is parked."), Text::say("It takes no other command while it is."),
                   Text::say("Unpark it: the button is in the deck, and in the menu Night."));
}

Expected<void> SimMount::goTo(const HourAngleDec& target, const std::string& side, const StopFlag& halt) {
    if (auto may = awake(); !may)
        return may;
    double duration = 0.0;
    {
        const auto reached = reach();
        if (!reached)
            return tl::unexpected(reached.error());
        night_.mechanics_.startSlew(target, side);
        duration = night_.mechanics_.slewEnd() - night_.mechanics_.when();
    }
    if (!night_.clock_.sleep(duration + 0.05, halt)) {
        stopMotion();
        return tl::unexpected(haltedProblem());
    }
    const std::scoped_lock guard(night_.lock_);
    night_.catchUp();
    return {};
}

// Looking at the pole, where nothing reaches the pier.
Expected<void> SimMount::park(bool on, const StopFlag& halt) {
    if (!night_.scenario_.parks)
        return problem(Text::say("The mount does not park."), Text::say("It has no command for it."),
                       Text::say("Slew to a place of rest and stop tracking."));
    if (!on) {
        parked_ = false;
        return {};
    }
    if (parked_)
        return {};
    const double pole_deg = night_.scenario_.rig.site.southern() ? -90.0 : 90.0;
    if (auto there = goTo({Angle::fromHours(0.0), Angle::fromDeg(pole_deg)}, {}, halt); !there)
        return there;
    if (auto stopped = setTracking(false); !stopped)
        return stopped;
    parked_ = true;
    return {};
}

Expected<void> SimMount::setTracking(bool on) {
    if (auto may = awake(); on && !may)
        return may;
    const auto reached = reach();
    if (!reached)
        return tl::unexpected(reached.error());
    if (on && night_.mechanics_.atLimit())
        return problem(Text::say("The mount does not track."), Text::say("It stands at its meridian limit."),
                       Text::say("Slew away from the limit."));
    night_.mechanics_.setTracking(on);
    return {};
}

Expected<void> SimMount::pulse(double ra_ms, double dec_ms, const StopFlag& halt) {
    if (auto may = awake(); !may)
        return may;
    {
        const auto reached = reach();
        if (!reached)
            return tl::unexpected(reached.error());
        if (night_.mechanics_.atLimit())
            return problem(Text::say("The mount takes no pulses."),
                           Text::say("It stands at its meridian limit and has stopped tracking."),
                           Text::say("Slew away from the limit, or flip."));
        night_.mechanics_.startPulse(ra_ms, dec_ms);
    }
    if (!night_.clock_.sleep(std::max(std::abs(ra_ms), std::abs(dec_ms)) / 1000.0, halt)) {
        stopMotion();
        return tl::unexpected(haltedProblem());
    }
    return {};
}

Expected<void> SimMount::runRa(double sidereal) {
    if (auto may = awake(); sidereal != 0.0 && !may)
        return may;
    const auto reached = reach();
    if (!reached)
        return tl::unexpected(reached.error());
    if (night_.mechanics_.atLimit() && sidereal != 0.0)
        return problem(Text::say("The mount does not run."), Text::say("It stands at its meridian limit."),
                       Text::say("Slew away from the limit."));
    night_.mechanics_.runRa(sidereal);
    return {};
}

Expected<void> SimMount::sync(const HourAngleDec& truth) {
    const auto reached = reach();
    if (!reached)
        return tl::unexpected(reached.error());
    const HourAngleDec now = night_.mechanics_.believed();
    if (std::abs((truth.hourAngle - now.hourAngle).wrappedSigned().deg()) > 20.0 ||
        std::abs((truth.dec - now.dec).deg()) > 20.0)
        return problem(Text::say("The mount refused the sync."),
                       Text::say("It would move its idea of the sky by more than 20°."),
                       Text::say("Check time and site, then sync near the target."));
    night_.mechanics_.sync(truth);
    return {};
}

Expected<void> SimMount::setCurve(const std::vector<double>& error_arcsec) {
    const auto reached = reach();
    if (!reached)
        return tl::unexpected(reached.error());
    if (!night_.mechanics_.reportedWorm() && !error_arcsec.empty())
        return problem(Text::say("The mount takes no correction curve."),
                       Text::say("It does not know where its worm stands."),
                       Text::say("Export the curve and use it with a mount that does, or guide."));
    night_.mechanics_.play(error_arcsec);
    return {};
}

Expected<void> SimMount::halt() {
    const auto reached = reach();
    if (!reached)
        return tl::unexpected(reached.error());
    night_.mechanics_.stopMotion();
    night_.mechanics_.setTracking(false);
    return {};
}

void SimMount::stopMotion() {
    const std::scoped_lock guard(night_.lock_);
    night_.catchUp();
    night_.mechanics_.stopMotion();
}

Expected<std::unique_lock<std::mutex>> SimMount::reach() const {
    night_.awaitVoice(FaultKind::mountHangs);
    std::unique_lock guard(night_.lock_);
    night_.catchUp();
    if (night_.air_.active(FaultKind::mountLink, night_.mechanics_.when()))
        return transientProblem(Text::say("The mount does not answer."), Text::say("Its link is silent."),
                                Text::say("Check cable and power of the mount."));
    return guard;
}

} // namespace nordstjerna
