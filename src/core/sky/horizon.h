// What stands around the site: altitude of the obstruction by azimuth.
#pragma once

#include <string>
#include <vector>

#include "core/base/problem.h"
#include "core/sky/directions.h"

namespace nordstjerna {

class HorizonProfile {
public:
    HorizonProfile() = default; // a free horizon
    // Points in any order; between them the profile runs straight, across north too.
    explicit HorizonProfile(std::vector<AltAz> points);

    Angle altitudeAt(Angle azimuth) const;
    bool hides(const Vec3& enu) const;
    // Whether a place stands at least so far above what is around.
    bool clears(const AltAz& place, Angle margin) const;
    const std::vector<AltAz>& points() const { return points_; } // by azimuth

private:
    std::vector<AltAz> points_;
};

// Plain text: one pair of azimuth and altitude in degrees a line, parted by blanks, a comma, a semicolon or a
// tab; empty lines and # comments allowed.
Expected<HorizonProfile> parseHorizon(const std::string& text);

} // namespace nordstjerna
