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

double airmass(double altitude_rad) {
    return 1.0 / std::max(std::sin(altitude_rad), 0.1);
}
} // namespace

double SimAir::fwhm_arcsec(double altitude_rad) const {
    return scenario_.seeing_arcsec * std::pow(airmass(altitude_rad), 0.6);
}

SimAir::SimAir(const Scenario& s)
    : scenario_(s), fast_{WhiteNoise(mixBits(s.seed ^ 0xa1)), WhiteNoise(mixBits(s.seed ^ 0xa2))},
      gust_{WhiteNoise(mixBits(s.seed ^ 0xa3)), WhiteNoise(mixBits(s.seed ^ 0xa4))},
      slow_{SlowNoise(mixBits(s.seed ^ 0xa5), s.slowAir_s), SlowNoise(mixBits(s.seed ^ 0xa6), s.slowAir_s)} {}

Eigen::Vector2d SimAir::fieldMotion(Instant start, double exposure_s, double altitude_rad) const {
    const double from = start - scenario_.start;
    const double to = from + exposure_s;
    const double total = motionPerFwhm * fwhm_arcsec(altitude_rad) * std::sqrt(fieldShare);
    const double fast = total * std::sqrt(1.0 - scenario_.slowAirShare) * std::sqrt(fullExposure_s);
    const double slow = total * std::sqrt(scenario_.slowAirShare);
    const Fault* gust = active(FaultKind::gust, start + exposure_s);
    Eigen::Vector2d motion;
    for (int axis = 0; axis < 2; ++axis) {
        motion[axis] = fast * fast_[axis].mean(from, to) + slow * slow_[axis].mean(from, to);
        if (gust)
            motion[axis] += gust->amount * gust_[axis].mean(from, from + 1.0);
    }
    return motion;
}

Eigen::Vector2d SimAir::starMotion(std::uint64_t star, Instant start, double exposure_s,
                                   double altitude_rad) const {
    const double from = start - scenario_.start;
    const double sigma =
        motionPerFwhm * fwhm_arcsec(altitude_rad) * std::sqrt(1.0 - fieldShare) * std::sqrt(fullExposure_s);
    const std::uint64_t own = mixBits(star ^ (scenario_.seed << 20));
    return sigma * Eigen::Vector2d(WhiteNoise(own).mean(from, from + exposure_s),
                                   WhiteNoise(mixBits(own)).mean(from, from + exposure_s));
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
