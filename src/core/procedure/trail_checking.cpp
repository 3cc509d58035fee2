#include "core/procedure/trail_checking.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "core/rig/scales.h"

namespace nordstjerna {

TrailChecking::TrailChecking(TrailCheckSetup setup) : setup_(std::move(setup)) {
    approach_ = Approach::toWatch(setup_.rig, setup_.place, Text::say("Slewing to the trail check"));
}

Step TrailChecking::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    if (phase_ == Phase::approaching) {
        if (const auto step = approach_.next(event))
            return *step;
        const TangentPlane& plane = approach_.solved()->plane;
        // The mount runs west, so the stars run east across the frame.
        const Eigen::Vector2d east = plane.cd.inverse() * Eigen::Vector2d(1.0, 0.0);
        path_.along = east.normalized();
        path_.hold_s = setup_.hold_s;
        path_.half_s = setup_.half_s;
        path_.rate_px_s = setup_.length_px / setup_.half_s;
        TrailStep step;
        step.hold_s = setup_.hold_s;
        step.half_s = setup_.half_s;
        step.rate_sidereal = path_.rate_px_s * plane.scaleArcsecPx() /
                             (siderealRate_arcsec_s * std::max(0.1, cos(event.mount.pointing.dec)));
        phase_ = Phase::trailing;
        return step;
    }
    if (phase_ == Phase::trailing)
        return judge(event);
    return DoneStep{};
}

Step TrailChecking::judge(const Event& event) {
    phase_ = Phase::ended;
    frame_ = std::get<FrameTaken>(event.what).frame;
    const auto measure = measureTrail(*frame_, path_);
    if (!measure)
        return FailStep{measure.error()};
    const TangentPlane& plane = approach_.solved()->plane;
    const double minutes = 2.0 * setup_.half_s / 60.0;
    // ″ of Dec for one pixel of opening.
    const double perPixel = (plane.cd * path_.across()).y() * arcsecPerRad;
    // What all stars of the trail have in common: air that carries the whole field about, and wanders along
    // both lines of the V. No star's fit knows of it. Calibrated against the truth of 200 random simulated
    // nights: a part as wide as the trail, and one that grows with the opening.
    constexpr double ofWidth = 0.05;
    constexpr double ofOpening = 0.12;
    const double shared = std::abs(perPixel) / minutes *
                          std::hypot(ofWidth * measure->fwhm_px, ofOpening * measure->opening_px.value);
    TrailCheckResult r;
    r.path = path_;
    r.measure = *measure;
    r.watch.middle = frame_->info.middle().value_or(event.now);
    r.watch.star = plane.centre;
    r.watch.place = ObservedFrame(setup_.rig.site, r.watch.middle).hourAngleDec(plane.centre);
    r.watch.length_s = 2.0 * setup_.half_s;
    r.watch.dec_arcsec_min = {measure->opening_px.value * perPixel / minutes,
                              std::hypot(measure->opening_px.sigma * std::abs(perPixel) / minutes, shared)};
    r.component = componentOf(r.watch, setup_.rig.site, setup_.reference);
    r.smallest_arcmin = 3.0 * r.component.amount_arcmin.sigma;
    result_ = r;
    return DoneStep{};
}

Progress TrailChecking::progress() const {
    Progress p;
    const bool trailing = phase_ == Phase::trailing;
    p.steps = approach_.steps(Text::say("Out and back"), trailing, phase_ == Phase::ended);
    p.fraction = trailing ? 0.5 : 0.1;
    if (trailing)
        p.timeLeft_s = 2.0 * setup_.half_s + setup_.hold_s;
    p.waitingFor =
        trailing ? Text::say("the exposure while the mount runs out and back") : approach_.waitingFor();
    return p;
}

} // namespace nordstjerna
