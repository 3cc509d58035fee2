// What a polar error does to the stars: drift, and how long an exposure may last.
#pragma once

#include "core/sky/observed_frame.h"

namespace nordstjerna {

struct StarDrift {
    double dec_arcsec_min = 0.0; // positive north
    double ra_arcsec_min = 0.0;  // on the sky (× cos δ), positive east
};

// Drift of a star against a mount that tracks at the sidereal rate about `axis` (unit vector towards the
// elevated pole, ENU) while the sky turns about `pole`. By rotating vectors, exact for any error.
StarDrift driftFromAxis(const Site& site, const Vec3& axis, const Vec3& pole, const HourAngleDec& star);

// The textbook formula for small errors: Dec drift −k(a cos H + e sin H), RA drift k sin δ (a sin H − e cos
// H), k = 0.26252 ″/min per ′; both change sign in the southern hemisphere.
StarDrift driftFormula(const Site& site, double east_arcmin, double high_arcmin, const HourAngleDec& star);

// Rotation of the field about a star held still, arcsec per minute of rotation angle per minute of time.
double fieldRotation_arcsec_min(const Site& site, const Vec3& axis, const Vec3& pole,
                                const HourAngleDec& star);

// Longest exposure without guiding that trails less than `px` pixels.
double longestUnguided_s(const StarDrift& drift, double scale_arcsec_px, double px);

} // namespace nordstjerna
