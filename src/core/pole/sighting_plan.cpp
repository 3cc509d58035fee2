#include "core/pole/sighting_plan.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/base/format.h"
#include "core/rig/scales.h"

namespace nordstjerna {

namespace {

AltAz altAzAt(const Rig& rig, const HourAngleDec& place) {
    return altAzFrom(directionOf(rig.site, place));
}

// Completes a list of places with what is told about them.
PlannedArc arcOf(const Rig& rig, const PlanWishes& wishes, std::vector<HourAngleDec> places) {
    PlannedArc arc;
    arc.places = std::move(places);
    arc.lowestAltitude_deg = 90.0;
    for (const HourAngleDec& p : arc.places)
        arc.lowestAltitude_deg = std::min(arc.lowestAltitude_deg, altAzAt(rig, p).altitude.deg());
    const Angle span = arc.places.back().hourAngle - arc.places.front().hourAngle;
    arc.span_deg = std::abs(span.deg());
    arc.slewTime_s = arc.span_deg / rig.mount.slewRate_deg_s;
    for (double f = 0.0; f <= 1.0 && !arc.twoWindows; f += 1.0 / 48)
        arc.twoWindows =
            !placeIsFree(rig, wishes, {arc.places.front().hourAngle + span * f, arc.places.front().dec});
    arc.predictedSigma_arcmin = predictedAxisSigma_arcmin(rig.site, arc.places, wishes.sigmaDirection_arcsec,
                                                          wishes.sigmaRoll_arcsec);
    return arc;
}

std::vector<HourAngleDec> evenly(double first_deg, double last_deg, Angle dec, int count) {
    std::vector<HourAngleDec> places;
    for (int i = 0; i < count; ++i)
        places.push_back(
            {Angle::fromDeg(first_deg + (last_deg - first_deg) * i / static_cast<double>(count - 1)), dec});
    return places;
}

// Higher places see less air; worth a little uncertainty.
double costOf(const PlannedArc& arc) {
    return arc.predictedSigma_arcmin * (1.0 + 2.0 * std::pow(1.0 - arc.lowestAltitude_deg / 90.0, 2));
}

// Free stretches of hour angle at one declination on one side, in steps of a degree.
struct Stretch {
    double low_deg, high_deg;
};
std::vector<Stretch> freeStretches(const Rig& rig, const PlanWishes& wishes, Angle dec, int side) {
    std::vector<Stretch> list;
    bool open = false;
    for (double h = 3.0; h <= 110.0; h += 1.0) {
        const bool free = placeIsFree(rig, wishes, {Angle::fromDeg(side * h), dec});
        if (free && !open)
            list.push_back({h, h});
        if (free)
            list.back().high_deg = h;
        open = free;
    }
    return list;
}

std::optional<PlannedArc> bestInStretches(const Rig& rig, const PlanWishes& wishes,
                                          const std::vector<Stretch>& stretches, Angle dec, int side,
                                          int count) {
    std::optional<PlannedArc> best;
    const auto offer = [&](double a, double b, const std::vector<HourAngleDec>& places) {
        if (std::abs(a - b) < 12.0 || std::abs(a - b) > wishes.widestSpan_deg + 1e-9)
            return;
        const PlannedArc arc = arcOf(rig, wishes, places);
        if (!best || costOf(arc) < costOf(*best))
            best = arc;
    };
    // East of the meridian the places are visited upwards, west downwards: with the sky.
    const auto ordered = [&](double nearDeg, double farDeg) {
        return side < 0 ? std::pair(-farDeg, -nearDeg) : std::pair(nearDeg, farDeg);
    };
    for (const Stretch& s : stretches)
        for (double span = std::min(wishes.widestSpan_deg, s.high_deg - s.low_deg); span >= 12.0; span -= 8.0)
            for (double near = s.low_deg; near + span <= s.high_deg + 1e-9; near += 6.0) {
                const auto [first, last] = ordered(near, near + span);
                offer(first, last, evenly(first, last, dec, count));
            }
    if (best)
        return best;
    // Two windows: the sightings shared out between the outer ends of two stretches.
    for (size_t i = 0; i < stretches.size(); ++i)
        for (size_t j = i + 1; j < stretches.size(); ++j) {
            const double near = stretches[i].low_deg;
            const double nearTo = stretches[i].high_deg;
            double far = stretches[j].high_deg;
            const double farFrom = stretches[j].low_deg;
            if (far - near > wishes.widestSpan_deg)
                far = std::max(farFrom, near + wishes.widestSpan_deg);
            const double from = std::max(near, far - wishes.widestSpan_deg);
            if (from > nearTo)
                continue;
            std::vector<HourAngleDec> places;
            const int first = (count + 1) / 2;
            for (int k = 0; k < count; ++k) {
                const bool inNear = k < first;
                const int n = inNear ? first : count - first;
                const int index = inNear ? k : k - first;
                const double low = inNear ? from : farFrom;
                const double high = inNear ? nearTo : far;
                const double f = n > 1 ? index / static_cast<double>(n - 1) : (inNear ? 0.0 : 1.0);
                places.push_back({Angle::fromDeg(side * (low + f * (high - low))), dec});
            }
            if (side < 0)
                std::reverse(places.begin(), places.end());
            offer(from, far, places);
        }
    return best;
}

} // namespace

double predictedAxisSigma_arcmin(const Site& site, const std::vector<HourAngleDec>& places,
                                 double sigmaDirection_arcsec, double sigmaRoll_arcsec) {
    std::vector<Sighting> sightings;
    for (const HourAngleDec& hd : places) {
        Sighting s;
        s.camera = cameraTowards(site, hd);
        s.sigmaDirection_arcsec = sigmaDirection_arcsec;
        s.sigmaRoll_arcsec = sigmaRoll_arcsec;
        sightings.push_back(s);
    }
    const auto fit = fitAxis(sightings, site);
    return fit ? errorEllipse(fit->covariance).major / 60.0 : 1e9;
}

bool placeIsFree(const Rig& rig, const PlanWishes& wishes, const HourAngleDec& place) {
    const AltAz a = altAzAt(rig, place);
    return a.altitude.deg() >= wishes.lowestAltitude_deg &&
           rig.horizon.clears(a, Angle::fromDeg(wishes.clearance_deg));
}

PlanWishes planWishesFor(const Rig& rig, int sightings, double exposure_s) {
    PlanWishes w;
    w.sightings = sightings;
    const Scales scales = scalesOf(rig);
    const double scale = rig.solveWithImaging ? scales.image_arcsec_px : scales.guide_arcsec_px;
    w.sigmaDirection_arcsec = std::hypot(airMotion_arcsec(exposure_s), 0.03 * scale);
    const CameraSpec& camera = rig.solveWithImaging ? rig.imagingCamera : rig.guideCamera;
    const double rim_px = 0.3 * std::hypot(camera.binnedWidth(), camera.binnedHeight());
    w.sigmaRoll_arcsec = 0.03 / rim_px * arcsecPerRad;
    return w;
}

Expected<PlannedArc> arcBetween(const Rig& rig, const PlanWishes& wishes, Angle firstHourAngle,
                                Angle lastHourAngle, Angle dec) {
    if (firstHourAngle.rad() * lastHourAngle.rad() <= 0.0)
        return problem(Text::say("The arc crosses the meridian."),
                       Text::say("The mount would change sides between sightings."),
                       Text::say("Keep the arc on one side."));
    if (std::abs((lastHourAngle - firstHourAngle).deg()) < 5.0)
        return problem(Text::say("The arc is too short."), Text::say("Under 5° it hardly shows an axis."),
                       Text::say("Draw its ends apart."));
    const auto places =
        evenly(firstHourAngle.deg(), lastHourAngle.deg(), dec, std::clamp(wishes.sightings, 2, 7));
    for (size_t i = 0; i < places.size(); ++i)
        if (!placeIsFree(rig, wishes, places[i])) {
            const AltAz a = altAzAt(rig, places[i]);
            return problem(Text::say("Sighting %1 is not free.").arg(i + 1),
                           Text::say("It stands at altitude %1°, azimuth %2°.")
                               .arg(formatNumber(a.altitude.deg(), 0))
                               .arg(formatNumber(a.azimuth.deg(), 0)),
                           Text::say("Move the arc into the free sky."));
        }
    return arcOf(rig, wishes, places);
}

Expected<PlannedArc> planSightings(const Rig& rig, const PlanWishes& wishes) {
    const double hemisphere = rig.site.southern() ? -1.0 : 1.0;
    const int count = std::clamp(wishes.sightings, 2, 7);
    std::optional<PlannedArc> best;
    // Close to the pole all rests on the rotation of the picture; the wide sky comes first.
    for (double highest : {50.0, 75.0}) {
        for (double dec = -10.0; dec <= highest && !(best && !best->twoWindows && highest > 50.0);
             dec += 10.0)
            for (int side : {-1, 1}) {
                const Angle declination = Angle::fromDeg(hemisphere * dec);
                const auto arc = bestInStretches(rig, wishes, freeStretches(rig, wishes, declination, side),
                                                 declination, side, count);
                if (!arc)
                    continue;
                const bool better =
                    !best ||
                    (arc->twoWindows != best->twoWindows ? best->twoWindows : costOf(*arc) < costOf(*best));
                if (better)
                    best = arc;
            }
        if (best && !best->twoWindows)
            break;
    }
    if (!best)
        return problem(Text::say("No part of the sky is free for sightings."),
                       Text::say("The horizon profile leaves less than 12° of right ascension, in one piece "
                                 "or in two windows, above %1° on either side of the meridian.")
                           .arg(formatNumber(wishes.lowestAltitude_deg, 0)),
                       Text::say("Correct the horizon profile, or allow lower altitudes."));
    return *best;
}

} // namespace nordstjerna
