#include "core/sky/horizon.h"

#include <algorithm>
#include <cmath>
#include <sstream>

#include "core/base/number_text.h"

namespace nordstjerna {

namespace {
constexpr const char* betweenFigures = " \t\r,;"; // an azimuth and its altitude
}

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

bool HorizonProfile::clears(const AltAz& place, Angle margin) const {
    return place.altitude >= altitudeAt(place.azimuth) + margin;
}

bool HorizonProfile::hides(const Vec3& enu) const {
    const AltAz a = altAzFrom(enu);
    return a.altitude < altitudeAt(a.azimuth);
}

Expected<HorizonProfile> parseHorizon(const std::string& text) {
    constexpr size_t mostPoints = 3600;
    std::vector<AltAz> points;
    std::istringstream lines(text);
    std::string line;
    for (int number = 1; std::getline(lines, line); ++number) {
        line = line.substr(0, line.find('#'));
        std::vector<double> values;
        bool good = true;
        for (size_t i = line.find_first_not_of(betweenFigures); good && i != std::string::npos;) {
            const size_t end = std::min(line.find_first_of(betweenFigures, i), line.size());
            const auto value = wholeNumber(std::string_view(line).substr(i, end - i));
            good = value.has_value();
            if (good)
                values.push_back(*value);
            i = line.find_first_not_of(betweenFigures, end);
        }
        if (good && values.empty())
            continue;
        if (!good || values.size() != 2 || !(std::abs(values[0]) <= 360.0) ||
            !(values[1] >= -10.0 && values[1] <= 90.0))
            return problem(
                Text::say("Line %1 of the horizon is not an azimuth and an altitude.").arg(number),
                Text::say("Each line holds two numbers in degrees with a decimal point, such as \"345 63\"."),
                Text::say("Correct the line."));
        points.push_back({Angle::fromDeg(values[1]), Angle::fromDeg(values[0])});
        if (points.size() > mostPoints)
            return problem(Text::say("The horizon has more than %1 points.").arg(mostPoints),
                           Text::say("That is ten for each degree."), Text::say("Thin the table out."));
    }
    return HorizonProfile(std::move(points));
}

} // namespace nordstjerna
