#include "core/pole/drift.h"

#include <algorithm>
#include <cmath>

#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {
constexpr double siderealTurn_rad_min = 60.0 * siderealRate_rad_s;
constexpr double drift_arcsec_min_per_arcmin = siderealTurn_rad_min * 60.0;

struct Local {
    Vec3 star, north, east;
};

// Star and its directions of growing Dec and RA, ENU, about the given north celestial pole.
Local localStar(const Site& site, const Vec3& pole, const HourAngleDec& hd) {
    const Vec3 northPole = site.southern() ? Vec3(-pole) : pole;
    const Vec3 meridian = (Vec3::UnitZ() - northPole * northPole.z()).normalized(); // hour angle 0, Dec 0
    const Vec3 west = meridian.cross(northPole);
    const Vec3 star =
        northPole * sin(hd.dec) + (meridian * cos(hd.hourAngle) + west * sin(hd.hourAngle)) * cos(hd.dec);
    const Vec3 east = northPole.cross(star).normalized();
    return {star, star.cross(east), east};
}
} // namespace

StarDrift driftFromAxis(const Site& site, const Vec3& axis, const Vec3& pole, const HourAngleDec& hd) {
    const Local s = localStar(site, pole, hd);
    const double sense = site.southern() ? 1.0 : -1.0; // the sky turns westwards about the north pole
    // Rate at which the star leaves the line of sight that the mount carries along.
    const Vec3 relative = sense * siderealTurn_rad_min * (pole - axis).cross(s.star) * arcsecPerRad;
    return {relative.dot(s.north), relative.dot(s.east)};
}

StarDrift driftFormula(const Site& site, double a, double e, const HourAngleDec& hd) {
    const double k = (site.southern() ? -1.0 : 1.0) * drift_arcsec_min_per_arcmin;
    const double sinH = sin(hd.hourAngle);
    const double cosH = cos(hd.hourAngle);
    return {-k * (a * cosH + e * sinH), k * sin(hd.dec) * (a * sinH - e * cosH)};
}

double fieldRotation_arcsec_min(const Site& site, const Vec3& axis, const Vec3& pole,
                                const HourAngleDec& hd) {
    const Local s = localStar(site, pole, hd);
    const double sense = site.southern() ? 1.0 : -1.0;
    // A mount that also holds the star in RA and Dec turns about its own axes; what is left of the relative
    // rotation after both corrections is a turn about the line of sight.
    const Vec3 relative = sense * siderealTurn_rad_min * (pole - axis);
    const Vec3 decAxis = axis.cross(s.star).normalized();
    Mat3 basis;
    basis << axis, decAxis, s.star;
    return basis.inverse().row(2).dot(relative) * arcsecPerRad;
}

double longestUnguided_s(const StarDrift& drift, double scale_arcsec_px, double px) {
    const double rate = std::max(std::hypot(drift.dec_arcsec_min, drift.ra_arcsec_min), 1e-6);
    return 60.0 * px * scale_arcsec_px / rate;
}

} // namespace nordstjerna
