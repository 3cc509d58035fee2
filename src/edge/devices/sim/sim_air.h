// The simulated air: motion of the star images, transparency, sky brightness.
#pragma once

#include <Eigen/Core>
#include <optional>

#include "core/base/random.h"
#include "core/sky/observed_frame.h"
#include "edge/devices/sim/scenario.h"

namespace nordstjerna {

class SimAir {
public:
    explicit SimAir(const Scenario& scenario) : scenario_(scenario), random_(mixBits(scenario.seed ^ 0xa1)) {}

    // Mean image motion of the whole field over an exposure that ends at `end`, ″ in sensor axes. Fast part
    // shrinks with the exposure, slow part is a first-order autoregressive series.
    Eigen::Vector2d fieldMotion(Instant end, double exposure_s, double altitude_rad);
    // Extra motion of one star against the field, ″; depends on the star and the exposure only.
    Eigen::Vector2d starMotion(std::uint64_t star, double exposure_s, double altitude_rad) const;

    double fwhm_arcsec(double altitude_rad) const;
    double transparency(Instant at, double altitude_rad) const;
    double skyMagnitude(Instant at) const; // per square arcsecond, twilight included
    double lamp_adu_s(Instant at) const;
    std::uint64_t exposures() const { return exposures_; }

    // The fault of a kind that is under way, if any.
    const Fault* active(FaultKind kind, Instant at) const;

private:
    const Scenario& scenario_;
    Random random_;
    Eigen::Vector2d slow_ = Eigen::Vector2d::Zero();
    std::optional<Instant> last_;
    std::uint64_t exposures_ = 0;
    mutable std::optional<Instant> skyAt_;
    mutable double sky_ = 21.0;
};

} // namespace nordstjerna
