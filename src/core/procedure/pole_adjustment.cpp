#include "core/procedure/pole_adjustment.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/pole/sighting_plan.h"
#include "core/procedure/camera_side.h"
#include "core/procedure/pole_measurement.h"
#include "core/procedure/slew.h"

namespace nordstjerna {

PoleAdjustment::PoleAdjustment(PoleAdjustmentSetup setup)
    : setup_(std::move(setup)), exposure_s_(setup_.exposure_s), moves_(setup_.learnt) {
    moves_.forgetPositions();
    if (setup_.sighting && !setup_.place)
        reference_ = LeverReference{*setup_.sighting, setup_.axis.axis, setup_.axis.covariance};
}

Step PoleAdjustment::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    switch (phase_) {
    case Phase::start:
        if (!setup_.place) {
            phase_ = Phase::tracking;
            return TrackingStep{true};
        }
        if (const auto obstacle = slewObstacle(setup_.rig, *setup_.place)) {
            phase_ = Phase::ended;
            return FailStep{*obstacle};
        }
        phase_ = Phase::arriving;
        return arrival_.begin(
            announcedSlew(setup_.rig, event, *setup_.place, Text::say("Slewing to where both levers show")),
            setup_.settle_s);
    case Phase::arriving:
        if (auto step = arrival_.next())
            return std::move(*step);
        return expose();
    case Phase::tracking:
        return expose();
    case Phase::exposing:
        return solve(event);
    case Phase::solving:
        return judge(event, std::get<FrameSolved>(event.what));
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

Step PoleAdjustment::expose() {
    phase_ = Phase::exposing;
    return ExposeStep{exposure_s_, solvingCamera(setup_.rig)};
}

Step PoleAdjustment::solve(const Event& event) {
    if (!event.mount.tracking) {
        phase_ = Phase::ended;
        return FailStep{{Text::say("The mount no longer tracks."),
                         Text::say("It has reached a limit, or tracking was switched off; what the levers do "
                                   "can no longer be seen."),
                         Text::say("Slew away from the limit and measure afresh.")}};
    }
    phase_ = Phase::solving;
    const CameraRole camera = solvingCamera(setup_.rig);
    SolveStep step = solveStepFor(setup_.rig, camera, solveBinning(setup_.rig, camera), event);
    frame_ = step.frame;
    return step;
}

Step PoleAdjustment::judge(const Event& event, const FrameSolved& solved) {
    if (!solved.solution) {
        ++failures_;
        state_ = State::blind;
        trouble_ = diagnoseUnsolved(*frame_, solved.solution.error());
        // One smeared frame is a hand at the lever; two are cloud.
        if (failures_ >= 2)
            exposure_s_ = std::min(2.0 * exposure_s_, setup_.longestExposure_s);
        return expose();
    }
    failures_ = 0;
    exposure_s_ = setup_.exposure_s;
    const ObservedFrame at(setup_.rig.site, solved.solution->when, setup_.dut1_s);
    const Sighting sighting = makeSighting(*solved.solution, at, airMotion_arcsec(frame_->info.exposure_s));
    sight_ = leverSight(setup_.rig.site, event.mount.pointing, sighting.sigmaDirection_arcsec,
                        sighting.sigmaRoll_arcsec);
    if (!reference_)
        reference_ = LeverReference{sighting, setup_.axis.axis, setup_.axis.covariance};
    const LeverFit fit = fitLevers(*reference_, sighting, setup_.rig.site);
    if (fit.unexplained > 4.0) {
        // The levers may still be turning during the exposure; only what stays is a fault.
        if (++strange_ >= 3) {
            state_ = State::moved;
            trouble_ = Problem{Text::say("Something other than the levers moved."),
                               Text::say("The picture turned in a way that neither lever can cause (%1σ): "
                                         "the RA or Dec axis was nudged, or the tripod was bumped.")
                                   .arg(formatNumber(fit.unexplained, 0)),
                               Text::say("Measure afresh; the figures here no longer hold.")};
        }
        return expose();
    }
    strange_ = 0;
    if (state_ != State::moved) {
        state_ = State::watching;
        trouble_.reset();
    }
    moves_.add(fit.azimuth_arcmin, fit.altitude_arcmin);
    if (moves_.takeBump())
        trouble_ = Problem{
            Text::say("Both levers moved at once."),
            Text::say("The axis jumped sideways and up or down within one frame: was the tripod bumped?"),
            Text::say("If so, finish with a fresh measurement; the figures still follow the axis.")};
    path_.push_back({sighting.when, fit});
    return expose();
}

Progress PoleAdjustment::progress() const {
    Progress p;
    p.fraction = -1.0;
    switch (phase_) {
    case Phase::arriving:
        p.waitingFor = arrival_.slewing() ? Text::say("slewing to where both levers show")
                                          : Text::say("the mount settles");
        break;
    case Phase::exposing:
        p.waitingFor = Text::say("exposing %1 s, again and again").arg(formatNumber(exposure_s_, 0));
        break;
    case Phase::solving:
        p.waitingFor = Text::say("solving");
        break;
    default:
        break;
    }
    return p;
}

Expected<HourAngleDec> bestLeverPlace(const Rig& rig) {
    const PlanWishes wishes = planWishesFor(rig, 3);
    std::optional<HourAngleDec> best;
    double bestCost = 1e300;
    const double hemisphere = rig.site.southern() ? -1.0 : 1.0;
    for (double dec = -10.0; dec <= 70.0; dec += 5.0)
        for (double h = -90.0; h <= 90.0; h += 3.0) {
            const HourAngleDec place{Angle::fromDeg(h), Angle::fromDeg(hemisphere * dec)};
            // Just west of the meridian a mount comes from the other side; just east it soon must flip.
            if (std::abs(h) < 6.0 || !placeIsFree(rig, wishes, place))
                continue;
            const LeverSight s =
                leverSight(rig.site, place, wishes.sigmaDirection_arcsec, wishes.sigmaRoll_arcsec);
            const double altitude = altAzFrom(directionOf(rig.site, place)).altitude.deg();
            const double cost = std::hypot(s.azimuth_arcmin, s.altitude_arcmin) * (1.5 - altitude / 180.0);
            if (cost < bestCost)
                bestCost = cost, best = place;
        }
    if (!best)
        return problem(Text::say("No part of the sky is free for adjusting."),
                       Text::say("The horizon profile leaves nothing above 30°."),
                       Text::say("Correct the horizon profile."));
    return *best;
}

} // namespace nordstjerna
