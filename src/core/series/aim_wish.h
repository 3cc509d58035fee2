// What the aim of the guide loop does during a series, dithers apart.
#pragma once

#include <optional>

#include "core/sky/directions.h"
#include "core/sky/instant.h"

namespace nordstjerna {

// A target that moves among the stars: a comet, a minor planet.
struct TargetMotion {
    double east_arcsec_h = 0.0, north_arcsec_h = 0.0; // on the sky
    Instant at;                                       // when it stands at the target's place
    bool any() const { return east_arcsec_h != 0.0 || north_arcsec_h != 0.0; }
    double speed_arcsec_h() const;
    // Where it stands at another moment.
    Vec3 placeAt(const Vec3& target, Instant t) const;
};

// From two places and moments, as an ephemeris tells them; the motion is of the second place. Absent where
// the moments are the same.
std::optional<TargetMotion> motionBetween(const Vec3& a, Instant atA, const Vec3& b, Instant atB);

struct AimWish {
    bool followFlexure = false;
    TargetMotion target;
};

} // namespace nordstjerna
