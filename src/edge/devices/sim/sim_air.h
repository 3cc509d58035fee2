// The simulated air: motion of the star images, transparency, sky brightness.
#pragma once

#include <Eigen/Core>
#include <optional>

#include "core/sky/almanac.h"
#include "core/sky/observed_frame.h"
#include "edge/devices/sim/scenario.h"
#include "edge/devices/sim/time_noise.h"

namespace nordstjerna {

class SimAir {
public:
    explicit SimAir(const Scenario& scenario);

    // Mean image motion of the whole field over an exposure, ″ in sensor axes: a process in time, the same
    // for every camera. Its fast part shrinks with the exposure, the slow part outlasts it.
    Eigen::Vector2d fieldMotion(Instant start, double exposure_s, double altitude_rad) const;
    // Extra motion of one star against the field, ″.
    Eigen::Vector2d starMotion(std::uint64_t star, Instant start, double exposure_s,
                               double altitude_rad) const;

    double fwhm_arcsec(double altitude_rad) const;
    double dew(Instant at) const; // share of the light that it takes
    double transparency(Instant at, double altitude_rad) const;
    double skyMagnitude(Instant at) const; // per square arcsecond, twilight included
    double lamp_adu_s(Instant at) const;

    // The fault of a kind that is under way, if any.
    const Fault* active(FaultKind kind, Instant at) const;

private:
    const Scenario& scenario_;
    WhiteNoise fast_[2], gust_[2];
    SlowNoise slow_[2];
    mutable std::optional<SunOfTheDay> sun_;
};

} // namespace nordstjerna
