#include "edge/devices/sim/sim_air.h"

#include <algorithm>
#include <cmath>

#include "core/base/random.h"

namespace nordstjerna {

namespace {
// 1.5″ FWHM seeing moves a star by about 0.4″ in each coordinate over 2 s (handbook figure of the trade).
constexpr double motionPerFwhm = 0.4 / 1.5;
constexpr double fieldShare = 0.65;    // of the variance that all stars have in common
constexpr double fullExposure_s = 2.0; // at which the motion is as said
constexpr double seeingMemory_s = 1800.0;

double airmass(double altitude_rad) {
    return 1.0 / std::max(std::sin(altitude_rad), 0.1);
}
} // namespace

double SimAir::fwhm_arcsec(Instant at, double altitude_rad) const {
    const double now = scenario_.seeingWander > 0.0
                           ? std::exp(scenario_.seeingWander * seeing_.at(at - scenario_.start))
                           : 1.0;
    return now * scenario_.seeing_arcsec * std::pow(airmass(altitude_rad), 0.6);
}

SimAir::SimAir(const Scenario& s)
    : scenario_(s), fast_{WhiteNoise(mixBits(s.seed ^ 0xa1)), WhiteNoise(mixBits(s.seed ^ 0xa2))},
      gust_{WhiteNoise(mixBits(s.seed ^ 0xa3)), WhiteNoise(mixBits(s.seed ^ 0xa4))},
      seeing_(mixBits(s.seed ^ 0xa7), seeingMemory_s) {
    // Processes of one memory each add up to a power law where their variances go with memory^(slope − 1).
    double memory_s = s.slowAir_s, sum = 0.0;
    std::uint64_t seed = s.seed;
    do {
        slow_.push_back(
            {std::pow(memory_s, s.slowAirSlope - 1.0),
             {SlowNoise(mixBits(seed ^ 0xa5), memory_s), SlowNoise(mixBits(seed ^ 0xa6), memory_s)}});
        sum += slow_.back().share;
        memory_s *= 2.0;
        seed = mixBits(seed);
    } while (memory_s <= s.slowAirLongest_s);
    for (SlowPart& part : slow_)
        part.share /= sum;
}

Eigen::Vector2d SimAir::fieldMotion(Instant start, double exposure_s, double altitude_rad) const {
    const double from = start - scenario_.start;
    const double to = from + exposure_s;
    const double total = motionPerFwhm * fwhm_arcsec(start, altitude_rad) * std::sqrt(fieldShare);
    const double fast = total * std::sqrt(1.0 - scenario_.slowAirShare) * std::sqrt(fullExposure_s);
    const Fault* gust = active(FaultKind::gust, start + exposure_s);
    Eigen::Vector2d motion;
    for (int axis = 0; axis < 2; ++axis) {
        motion[axis] = fast * fast_[axis].mean(from, to);
        for (const SlowPart& part : slow_)
            motion[axis] +=
                total * std::sqrt(scenario_.slowAirShare * part.share) * part.axes[axis].mean(from, to);
        if (gust)
            motion[axis] += gust->amount * gust_[axis].mean(from, from + 1.0);
    }
    return motion;
}

SimAir::Apart SimAir::starsApart(Instant start, double exposure_s, double altitude_rad) const {
    Apart apart;
    apart.seed_ = scenario_.seed << 20;
    apart.from_s_ = start - scenario_.start;
    apart.to_s_ = apart.from_s_ + exposure_s;
    apart.sigma_ = motionPerFwhm * fwhm_arcsec(start, altitude_rad) * std::sqrt(1.0 - fieldShare) *
                   std::sqrt(fullExposure_s);
    if (scenario_.isoplanatic_arcmin <= 0.0)
        return apart;
    // A sum of plane waves with random directions and lengths: its correlation falls as a Gaussian of the
    // distance, with the patch for its standard deviation.
    constexpr int waves = 24;
    Random form(mixBits(scenario_.seed ^ 0xa8));
    for (int k = 0; k < waves; ++k) {
        const Eigen::Vector2d direction(form.gaussian(), form.gaussian());
        const auto part = [&](std::uint64_t which) {
            const std::uint64_t seed = mixBits(scenario_.seed ^ mixBits(0xa900 + 8 * k + which));
            return WhiteNoise(seed).mean(apart.from_s_, apart.to_s_) / std::sqrt(waves);
        };
        apart.waves_.push_back(
            {direction / scenario_.isoplanatic_arcmin, {part(0), part(1)}, {part(2), part(3)}});
    }
    return apart;
}

Eigen::Vector2d SimAir::Apart::operator()(std::uint64_t star, const Eigen::Vector2d& place_arcmin) const {
    if (waves_.empty()) {
        const std::uint64_t own = mixBits(star ^ seed_);
        return sigma_ * Eigen::Vector2d(WhiteNoise(own).mean(from_s_, to_s_),
                                        WhiteNoise(mixBits(own)).mean(from_s_, to_s_));
    }
    Eigen::Vector2d sum = Eigen::Vector2d::Zero();
    for (const Wave& w : waves_) {
        const double phase = w.perArcmin.dot(place_arcmin);
        sum += std::cos(phase) * w.cosine + std::sin(phase) * w.sine;
    }
    return sigma_ * sum;
}

const Fault* SimAir::active(FaultKind kind, Instant at) const {
    const double t = at - scenario_.start;
    for (const Fault& f : scenario_.faults)
        if (f.kind == kind && t >= f.at_s && t < f.at_s + f.length_s)
            return &f;
    return nullptr;
}

double SimAir::dew(Instant at) const {
    const Fault* f = active(FaultKind::dew, at);
    return f ? f->amount * std::clamp((at - scenario_.start - f->at_s) / f->length_s, 0.0, 1.0) : 0.0;
}

double SimAir::transparency(Instant at, double altitude_rad) const {
    const double extinction = std::pow(10.0, -0.4 * 0.2 * (airmass(altitude_rad) - 1.0));
    const Fault* cloud = active(FaultKind::cloud, at);
    return scenario_.transparency * extinction * (cloud ? std::max(0.0, 1.0 - cloud->amount) : 1.0) *
           std::max(0.0, 1.0 - dew(at));
}

double SimAir::skyMagnitude(Instant at) const {
    if (!sun_ || !sun_->covers(at))
        sun_.emplace(scenario_.rig.site, at);
    // Twilight: the sky brightens by about half a magnitude a degree once the Sun is above −18°.
    const double above = sun_->altitude(at).deg() + 18.0;
    return std::max(4.0,
                    scenario_.sky_mag_arcsec2 - (above > 0.0 ? 0.05 * above * above + 0.1 * above : 0.0));
}

double SimAir::lamp_adu_s(Instant at) const {
    const Fault* lamp = active(FaultKind::lamp, at);
    return lamp ? lamp->amount : 0.0;
}

} // namespace nordstjerna
