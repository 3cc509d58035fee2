// The simulated air: motion of the star images, transparency, sky brightness.
#pragma once

#include <Eigen/Core>
#include <cstdint>
#include <optional>
#include <vector>

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
    // What stars move against the field during one exposure, each by its own or, within the isoplanatic
    // patch, with its neighbours: ″.
    class Apart {
    public:
        Eigen::Vector2d operator()(std::uint64_t star, const Eigen::Vector2d& place_arcmin) const;

    private:
        friend class SimAir;
        struct Wave { // of the pattern over the field
            Eigen::Vector2d perArcmin, cosine, sine;
        };
        std::vector<Wave> waves_; // none: each star by its own
        double sigma_ = 0.0, from_s_ = 0.0, to_s_ = 0.0;
        std::uint64_t seed_ = 0;
    };
    Apart starsApart(Instant start, double exposure_s, double altitude_rad) const;

    double fwhm_arcsec(Instant at, double altitude_rad) const;
    double dew(Instant at) const; // share of the light that it takes
    double transparency(Instant at, double altitude_rad) const;
    double skyMagnitude(Instant at) const; // per square arcsecond, twilight included
    double lamp_adu_s(Instant at) const;

    // The fault of a kind that is under way, if any.
    const Fault* active(FaultKind kind, Instant at) const;

private:
    const Scenario& scenario_;
    WhiteNoise fast_[2], gust_[2];
    struct SlowPart {
        double share; // of the variance of all of them
        SlowNoise axes[2];
    };
    std::vector<SlowPart> slow_;
    SlowNoise seeing_;
    mutable std::optional<SunOfTheDay> sun_;
};

} // namespace nordstjerna
