#include "core/procedure/calibration_place.h"

#include <algorithm>
#include <cmath>

#include "core/sky/air_mass.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {
constexpr double highEnough_deg = 45.0; // common practice
constexpr double lowestPlace_deg = 15.0;
constexpr double margin_deg = 4.0;
} // namespace

double calibrationCost(const Site& site, const HourAngleDec& place) {
    const Angle altitude = altAzFrom(directionOf(site, place)).altitude;
    const double air =
        std::pow(std::max(1.0, airMass(altitude) / airMass(Angle::fromDeg(highEnough_deg))), 0.6);
    return air / std::max(0.05, cos(place.dec));
}

bool calibrationIsFree(const Rig& rig, const HourAngleDec& place) {
    const AltAz at = altAzFrom(directionOf(rig.site, place));
    return at.altitude.deg() > std::max(lowestPlace_deg, rig.mount.lowestAltitude.deg() + margin_deg) &&
           rig.horizon.clears(at, Angle::fromDeg(margin_deg));
}

std::optional<CalibrationPlace> bestCalibrationPlace(const Rig& rig, bool east) {
    // Clear of the meridian by more than the legs take, and of the far ends, where flexure and refraction
    // run.
    constexpr double nearest_h = 0.4, farthest_h = 3.0, step_h = 0.1;
    constexpr double widest_deg = 45.0, step_deg = 1.0;
    std::optional<CalibrationPlace> best;
    double least = 0.0;
    for (double h = nearest_h; h <= farthest_h + 1e-9; h += step_h)
        for (double dec = -widest_deg; dec <= widest_deg + 1e-9; dec += step_deg) {
            const HourAngleDec place{Angle::fromHours(east ? -h : h), Angle::fromDeg(dec)};
            if (!calibrationIsFree(rig, place))
                continue;
            const double cost = calibrationCost(rig.site, place);
            // Of places that cost about the same the one nearest to the equator and the meridian.
            const double wanted = cost + 0.001 * std::abs(dec) + 0.02 * (h - nearest_h);
            if (best && wanted >= least)
                continue;
            least = wanted;
            best = CalibrationPlace{place, altAzFrom(directionOf(rig.site, place)).altitude.deg(), cost};
        }
    return best;
}

} // namespace nordstjerna
