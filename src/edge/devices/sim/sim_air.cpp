#include "edge/devices/sim/sim_air.h"

#include <algorithm>
#include <cmath>

#include "core/sky/almanac.h"

namespace nordstjerna {

namespace {
// 1.5″ FWHM seeing moves a star by about 0.4″ in each coordinate over 2 s (handbook figure of the trade).
constexpr double motionPerFwhm = 0.4 / 1.5;
constexpr double fieldShare = 0.65; // of the variance that all stars have in common
constexpr double slowShare = 0.25;  // of the common variance that outlasts an exposure
constexpr double slow_s = 6.0;

double airmass(double altitude_rad) {
    return 1.0 / std::max(std::sin(altitude_rad), 0.1);
}
} // namespace

double SimAir::fwhm_arcsec(double altitude_rad) const {
    return scenario_.seeing_arcsec * std::pow(airmass(altitude_rad), 0.6);
}

Eigen::Vector2d SimAir::fieldMotion(Instant end, double exposure_s, double altitude_rad) {
    ++exposures_;
    const double total = motionPerFwhm * fwhm_arcsec(altitude_rad) * std::sqrt(fieldShare);
    const double fast = total * std::sqrt(1.0 - slowShare) * std::sqrt(2.0 / std::max(exposure_s, 0.05));
    const double slow = total * std::sqrt(slowShare);
    const double keep = last_ ? std::exp(-(end - *last_) / slow_s) : 0.0;
    last_ = end;
    const double fresh = slow * std::sqrt(1.0 - keep * keep);
    for (int axis = 0; axis < 2; ++axis)
        slow_[axis] = keep * slow_[axis] + fresh * random_.gaussian();
    Eigen::Vector2d motion = slow_ + fast * Eigen::Vector2d(random_.gaussian(), random_.gaussian());
    if (const Fault* gust = active(FaultKind::gust, end))
        motion += gust->amount * Eigen::Vector2d(random_.gaussian(), random_.gaussian());
    return motion;
}

Eigen::Vector2d SimAir::starMotion(std::uint64_t star, double exposure_s, double altitude_rad) const {
    Random random(mixBits(star ^ mixBits(exposures_ ^ (scenario_.seed << 20))));
    const double sigma = motionPerFwhm * fwhm_arcsec(altitude_rad) * std::sqrt(1.0 - fieldShare) *
                         std::sqrt(2.0 / std::max(exposure_s, 0.05));
    return sigma * Eigen::Vector2d(random.gaussian(), random.gaussian());
}

const Fault* SimAir::active(FaultKind kind, Instant at) const {
    const double t = at - scenario_.start;
    for (const Fault& f : scenario_.faults)
        if (f.kind == kind && t >= f.at_s && t < f.at_s + f.length_s)
            return &f;
    return nullptr;
}

double SimAir::transparency(Instant at, double altitude_rad) const {
    const double extinction = std::pow(10.0, -0.4 * 0.2 * (airmass(altitude_rad) - 1.0));
    const Fault* cloud = active(FaultKind::cloud, at);
    return scenario_.transparency * extinction * (cloud ? std::max(0.0, 1.0 - cloud->amount) : 1.0);
}

double SimAir::skyMagnitude(Instant at) const {
    if (!skyAt_ || std::abs(at - *skyAt_) > 20.0) {
        // Twilight: the sky brightens by about half a magnitude a degree once the Sun is above −18°.
        const double above = sunAltitude(scenario_.rig.site, at).deg() + 18.0;
        sky_ = std::max(4.0,
                        scenario_.sky_mag_arcsec2 - (above > 0.0 ? 0.05 * above * above + 0.1 * above : 0.0));
        skyAt_ = at;
    }
    return sky_;
}

double SimAir::lamp_adu_s(Instant at) const {
    const Fault* lamp = active(FaultKind::lamp, at);
    return lamp ? lamp->amount : 0.0;
}

} // namespace nordstjerna
