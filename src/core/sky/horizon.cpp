#include "core/sky/horizon.h"

#include <algorithm>
#include <sstream>

namespace nordstjerna {

HorizonProfile::HorizonProfile(std::vector<AltAz> points) : points_(std::move(points)) {
    for (AltAz& p : points_)
        p.azimuth = p.azimuth.wrapped();
    std::stable_sort(points_.begin(), points_.end(),
                     [](const AltAz& a, const AltAz& b) { return a.azimuth < b.azimuth; });
}

Angle HorizonProfile::altitudeAt(Angle azimuth) const {
    if (points_.empty())
        return Angle();
    const Angle az = azimuth.wrapped();
    const auto after = std::upper_bound(points_.begin(), points_.end(), az,
                                        [](Angle a, const AltAz& p) { return a < p.azimuth; });
    const AltAz& right = after == points_.end() ? points_.front() : *after;
    const AltAz& left = after == points_.begin() ? points_.back() : *std::prev(after);
    const double span = (right.azimuth - left.azimuth).wrapped().rad();
    if (span <= 0.0)
        return std::max(left.altitude, right.altitude);
    const double f = (az - left.azimuth).wrapped().rad() / span;
    return left.altitude + (right.altitude - left.altitude) * f;
}

bool HorizonProfile::hides(const Vec3& enu) const {
    const AltAz a = altAzFrom(enu);
    return a.altitude < altitudeAt(a.azimuth);
}

Expected<HorizonProfile> parseHorizon(const std::string& text) {
    std::vector<AltAz> points;
    std::istringstream lines(text);
    std::string line;
    for (int number = 1; std::getline(lines, line); ++number) {
        line = line.substr(0, line.find('#'));
        std::replace(line.begin(), line.end(), ',', ' ');
        if (line.find_first_not_of(" \t\r") == std::string::npos)
            continue;
        std::istringstream fields(line);
        double az = 0.0;
        double alt = 0.0;
        std::string more;
        if (!(fields >> az >> alt) || (fields >> more) || az < -360.0 || az > 360.0 || alt < -10.0 ||
            alt > 90.0)
            return problem(
                "Line " + std::to_string(number) + " of the horizon is not an azimuth and an altitude.",
                "Each line holds two numbers in degrees, such as \"345 63\".", "Correct the line.");
        points.push_back({Angle::fromDeg(alt), Angle::fromDeg(az)});
    }
    return HorizonProfile(std::move(points));
}

} // namespace nordstjerna
