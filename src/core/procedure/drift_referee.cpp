#include "core/procedure/drift_referee.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/image/guide_star_choice.h"
#include "core/motion/drift_fit.h"
#include "core/pole/sighting_plan.h"

namespace nordstjerna {

DriftReferee::DriftReferee(DriftRefereeSetup setup) : setup_(std::move(setup)) {
    approach_ = Approach::toWatch(setup_.rig, setup_.place, Text::say("Slewing to watch the drift"));
}

Step DriftReferee::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    if (phase_ == Phase::approaching) {
        if (const auto step = approach_.next(event))
            return *step;
        ChoiceOptions options;
        options.edge_px = 60.0;
        const auto found = guideFieldOn(*approach_.frame(), options);
        if (!found) {
            phase_ = Phase::ended;
            return FailStep{found.error()};
        }
        watch_ = StarWatch(found->chosen, {}, 12.0);
        phase_ = Phase::watching;
        return watch_.look(setup_.exposure_s);
    }
    if (phase_ == Phase::watching) {
        if (!event.mount.tracking) {
            phase_ = Phase::ended;
            return FailStep{{Text::say("The mount stopped tracking."), Text::say("It has reached a limit."),
                             Text::say("Watch the drift farther from the limit.")}};
        }
        return measured(std::get<StarsTracked>(event.what));
    }
    return DoneStep{};
}

Step DriftReferee::measured(const StarsTracked& tracked) {
    const auto shift = watch_.update(tracked);
    if (!shift) {
        if (watch_.lostFrames() > 30) {
            phase_ = Phase::ended;
            return FailStep{{Text::say("The stars were lost."),
                             Text::say("They were not found in thirty frames in a row."),
                             Text::say("Wait for the cloud to pass and watch again.")}};
        }
        return watch_.look(setup_.exposure_s);
    }
    const TangentPlane& plane = approach_.solved()->plane;
    const Eigen::Vector2d sky = plane.cd * Eigen::Vector2d(shift->dx, shift->dy) * arcsecPerRad;
    if (samples_.empty())
        start_ = tracked.middle;
    samples_.push_back({tracked.middle - start_, sky.x(), sky.y()});
    if (samples_.size() >= 8) {
        std::vector<double> t;
        std::vector<double> d;
        for (const DriftSample& s : samples_) {
            t.push_back(s.t_s);
            d.push_back(s.ddec_arcsec);
        }
        // A mount wanders, and slow air reaches farther than its neighbours tell.
        if (const Measured slope_per_s = fitDrift(t, d, {}, {}); slope_per_s.sigma > 0.0) {
            DriftWatch w;
            w.middle = start_ + 0.5 * samples_.back().t_s;
            w.star = plane.centre;
            w.place = ObservedFrame(setup_.rig.site, w.middle).hourAngleDec(plane.centre);
            w.dec_arcsec_min = {60.0 * slope_per_s.value, 60.0 * slope_per_s.sigma};
            w.length_s = samples_.back().t_s;
            component_ = componentOf(w, setup_.rig.site, setup_.reference);
            result_ = w;
            if (w.length_s >= setup_.shortest_s && component_->amount_arcmin.sigma <= setup_.wanted_arcmin) {
                phase_ = Phase::ended;
                return DoneStep{};
            }
        }
    }
    return watch_.look(setup_.exposure_s);
}

std::optional<double> DriftReferee::timeLeft_s() const {
    if (!component_)
        return std::nullopt;
    return std::max(
        setup_.shortest_s - result_->length_s,
        timeToPrecision_s(result_->length_s, component_->amount_arcmin.sigma, setup_.wanted_arcmin));
}

Progress DriftReferee::progress() const {
    Progress p;
    const bool watching = phase_ == Phase::watching;
    p.steps = approach_.steps(Text::say("Watch"), watching, phase_ == Phase::ended);
    p.fraction = -1.0;
    if (const auto left = timeLeft_s(); left && watching) {
        p.timeLeft_s = *left;
        p.fraction = result_->length_s / (result_->length_s + *left);
    }
    p.waitingFor =
        watching ? (watch_.lostFrames() ? Text::say("the stars, lost for %1")
                                              .arg(Text::say("%n frame|%n frames", "", watch_.lostFrames()))
                                        : Text::say("the drift to show itself"))
                 : approach_.waitingFor();
    return p;
}

Expected<HourAngleDec> driftPlace(const Rig& rig, DriftPlace wanted) {
    PlanWishes wishes = planWishesFor(rig, 3);
    wishes.lowestAltitude_deg = 20.0;
    wishes.clearance_deg = 3.0;
    std::optional<HourAngleDec> best;
    double bestCost = 1e300;
    for (double dec = -10.0; dec <= 30.0; dec += 5.0)
        for (double h = -80.0; h <= 80.0; h += 2.0) {
            const HourAngleDec place{Angle::fromDeg(h), Angle::fromDeg(rig.site.southern() ? -dec : dec)};
            // A watch must not run into the meridian.
            if ((h > -8.0 && h < 1.0) || !placeIsFree(rig, wishes, place))
                continue;
            const double altitude = altAzFrom(directionOf(rig.site, place)).altitude.deg();
            const double shows = wanted == DriftPlace::meridian ? std::cos(place.hourAngle.rad())
                                                                : std::abs(std::sin(place.hourAngle.rad()));
            if (shows < 0.7)
                continue;
            const double cost =
                (1.0 - shows) * 4.0 + std::abs(dec) / 60.0 + std::max(0.0, 30.0 - altitude) / 20.0;
            if (cost < bestCost)
                bestCost = cost, best = place;
        }
    if (!best)
        return problem(wanted == DriftPlace::meridian
                           ? Text::say("No part of the sky near the meridian is free.")
                           : Text::say("Neither east nor west is free low down."),
                       Text::say("The horizon profile hides what the drift referee needs."),
                       Text::say("Use fresh sightings as the second opinion."));
    return *best;
}

} // namespace nordstjerna
