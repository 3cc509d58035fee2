// Plane angles. Radians inside, named constructors and readers outside, so that no bare double
// is ever taken for the wrong unit.
#pragma once

#include <compare>
#include <numbers>

namespace nordstjerna {

inline constexpr double tau = 2.0 * std::numbers::pi; // one turn
inline constexpr double arcsecPerRad = 180.0 * 3600.0 / std::numbers::pi;

class Angle {
public:
    constexpr Angle() = default;
    static constexpr Angle fromRad(double v) { return Angle(v); }
    static constexpr Angle fromDeg(double v) { return Angle(v * std::numbers::pi / 180.0); }
    static constexpr Angle fromHours(double v) { return fromDeg(15.0 * v); }
    static constexpr Angle fromArcmin(double v) { return Angle(60.0 * v / arcsecPerRad); }
    static constexpr Angle fromArcsec(double v) { return Angle(v / arcsecPerRad); }

    constexpr double rad() const { return rad_; }
    constexpr double deg() const { return rad_ * 180.0 / std::numbers::pi; }
    constexpr double hours() const { return deg() / 15.0; }
    constexpr double arcmin() const { return rad_ * arcsecPerRad / 60.0; }
    constexpr double arcsec() const { return rad_ * arcsecPerRad; }

    constexpr Angle operator-() const { return Angle(-rad_); }
    constexpr Angle operator+(Angle o) const { return Angle(rad_ + o.rad_); }
    constexpr Angle operator-(Angle o) const { return Angle(rad_ - o.rad_); }
    constexpr Angle operator*(double f) const { return Angle(rad_ * f); }
    constexpr Angle operator/(double f) const { return Angle(rad_ / f); }
    constexpr double operator/(Angle o) const { return rad_ / o.rad_; }
    constexpr Angle& operator+=(Angle o) {
        rad_ += o.rad_;
        return *this;
    }
    constexpr auto operator<=>(const Angle&) const = default;

    // The same direction in [0, 360°) and in [-180°, 180°).
    Angle wrapped() const;
    Angle wrappedSigned() const;

private:
    constexpr explicit Angle(double r) : rad_(r) {}
    double rad_ = 0.0;
};

double sin(Angle a);
double cos(Angle a);
double tan(Angle a);

} // namespace nordstjerna
