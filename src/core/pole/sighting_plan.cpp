#include "core/pole/sighting_plan.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/rig/scales.h"

namespace nordstjerna {

Vec3 directionOf(const Site& site, const HourAngleDec& hd) {
    const Vec3 north(0.0, cos(site.latitude), sin(site.latitude));
    const Vec3 meridian(0.0, -sin(site.latitude), cos(site.latitude));
    const Vec3 west(-1.0, 0.0, 0.0);
    return north * sin(hd.dec) + (meridian * cos(hd.hourAngle) + west * sin(hd.hourAngle)) * cos(hd.dec);
}

double predictedAxisSigma_arcmin(const Site& site, const std::vector<HourAngleDec>& places,
                                 double sigmaDirection_arcsec, double sigmaRoll_arcsec) {
    const Vec3 north(0.0, cos(site.latitude), sin(site.latitude));
    std::vector<Sighting> sightings;
    for (const HourAngleDec& hd : places) {
        Sighting s;
        const Vec3 z = directionOf(site, hd);
        const Vec3 x = north.cross(z).normalized();
        s.camera << x, z.cross(x), z;
        s.sigmaDirection_arcsec = sigmaDirection_arcsec;
        s.sigmaRoll_arcsec = sigmaRoll_arcsec;
        sightings.push_back(s);
    }
    const auto fit = fitAxis(sightings, site);
    return fit ? errorEllipse(fit->covariance).major / 60.0 : 1e9;
}

namespace {
// Lowest altitude on the arc if all of it is free, otherwise nothing.
std::optional<double> freeArc(const Rig& rig, const PlanWishes& wishes, double from_deg, double to_deg,
                              Angle dec) {
    double lowest = 90.0;
    for (double h = std::min(from_deg, to_deg); h <= std::max(from_deg, to_deg) + 1e-9; h += 1.0) {
        const AltAz a = altAzFrom(directionOf(rig.site, {Angle::fromDeg(h), dec}));
        if (a.altitude.deg() < wishes.lowestAltitude_deg ||
            a.altitude < rig.horizon.altitudeAt(a.azimuth) + Angle::fromDeg(wishes.clearance_deg))
            return std::nullopt;
        lowest = std::min(lowest, a.altitude.deg());
    }
    return lowest;
}
} // namespace

PlanWishes planWishesFor(const Rig& rig, int sightings) {
    PlanWishes w;
    w.sightings = sightings;
    const double scale = scalesOf(rig).guide_arcsec_px;
    w.sigmaDirection_arcsec = std::hypot(0.5, 0.03 * scale);
    const double rim_px = 0.3 * std::hypot(rig.guideCamera.binnedWidth(), rig.guideCamera.binnedHeight());
    w.sigmaRoll_arcsec = 0.03 / rim_px * arcsecPerRad;
    return w;
}

Expected<PlannedArc> planSightings(const Rig& rig, const PlanWishes& wishes) {
    const double hemisphere = rig.site.southern() ? -1.0 : 1.0;
    const int count = std::clamp(wishes.sightings, 2, 7);
    std::optional<PlannedArc> best;
    double bestCost = 1e300;
    for (double span = wishes.widestSpan_deg; span >= 12.0; span -= 6.0)
        for (double dec = -10.0; dec <= 70.0; dec += 10.0)
            for (int side : {-1, 1})
                for (double near = 4.0; near + span <= 96.0; near += 4.0) {
                    const Angle declination = Angle::fromDeg(hemisphere * dec);
                    const double first = side * near;
                    const double last = side * (near + span);
                    const auto lowest = freeArc(rig, wishes, first, last, declination);
                    if (!lowest)
                        continue;
                    PlannedArc arc;
                    // West of the meridian the places are visited downwards, east upwards: with the sky.
                    for (int i = 0; i < count; ++i) {
                        const double f = static_cast<double>(i) / (count - 1);
                        const double h = side < 0 ? last + f * (first - last) : first + f * (last - first);
                        arc.places.push_back({Angle::fromDeg(h), declination});
                    }
                    arc.span_deg = span;
                    arc.lowestAltitude_deg = *lowest;
                    arc.slewTime_s = span / rig.mount.slewRate_deg_s;
                    arc.predicted_arcmin.sigma = predictedAxisSigma_arcmin(
                        rig.site, arc.places, wishes.sigmaDirection_arcsec, wishes.sigmaRoll_arcsec);
                    // Higher places see less air; worth a little uncertainty.
                    const double cost =
                        arc.predicted_arcmin.sigma * (1.0 + 2.0 * std::pow(1.0 - *lowest / 90.0, 2));
                    if (cost < bestCost)
                        bestCost = cost, best = arc;
                }
    if (!best)
        return problem("No arc for sightings is free.",
                       "The horizon profile leaves less than 12° of right ascension above " +
                           std::to_string(static_cast<int>(wishes.lowestAltitude_deg)) +
                           "° on either side of the meridian.",
                       "Correct the horizon profile, or allow lower altitudes.");
    return *best;
}

} // namespace nordstjerna
