#include "core/base/format.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <string_view>

#include "core/base/number_text.h"

namespace nordstjerna {

namespace {
template <typename... Args>
std::string print(const char* pattern, Args... args) {
    char buffer[96];
    std::snprintf(buffer, sizeof buffer, pattern, args...);
    return buffer;
}
constexpr const char* minusSign = "−";
} // namespace

std::string formatNumber(double value, int decimals) {
    if (!std::isfinite(value))
        return "–";
    std::string text = numberText(value, decimals);
    const bool zero = text.find_first_of("123456789") == std::string::npos;
    if (text.front() == '-')
        text = (zero ? "" : minusSign) + text.substr(1);
    return text;
}

int decimalsFor(double sigma, int maxDecimals) {
    if (!(sigma > 0.0) || !std::isfinite(sigma))
        return std::min(maxDecimals, 1);
    const double exponent = std::floor(std::log10(sigma));
    const double leading = sigma / std::pow(10.0, exponent);
    const int places = static_cast<int>(-exponent) + (leading < 1.95 ? 1 : 0);
    return std::clamp(places, 0, maxDecimals);
}

std::string formatUnit(const std::string& unit) {
    if (unit.empty() || unit == "°" || unit == "′" || unit == "″")
        return unit;
    return " " + unit;
}

std::string formatSigma(double sigma, int places) {
    const double last = std::pow(10.0, -places);
    return sigma > 0.0 && sigma < 0.5 * last ? "< " + formatNumber(last, places)
                                             : formatNumber(sigma, places);
}

std::string formatMeasured(Measured m, const std::string& unit, int maxDecimals) {
    const int places = decimalsFor(m.sigma, maxDecimals);
    return formatNumber(m.value, places) + " ± " + formatSigma(m.sigma, places) + unit;
}

std::string formatSkyAngle(Angle a) {
    const double size = std::abs(a.arcsec());
    if (size < 59.95)
        return formatNumber(a.arcsec(), size < 9.95 ? 1 : 0) + "″";
    if (size < 7200.0)
        return formatNumber(a.arcmin(), size < 599.7 ? 1 : 0) + "′";
    return formatNumber(a.deg(), 1) + "°";
}

std::string formatHms(Angle ra) {
    const long long tenths = std::llround(ra.wrapped().hours() * 36000.0) % (24LL * 36000LL);
    return print("%02lldh%02lldm%02lld.%llds", tenths / 36000, tenths / 600 % 60, tenths / 10 % 60,
                 tenths % 10);
}

std::string formatDms(Angle dec) {
    const long long seconds = std::llround(std::abs(dec.deg()) * 3600.0);
    return (dec.rad() < 0 && seconds > 0 ? minusSign : "+") +
           print("%02lld°%02lld′%02lld″", seconds / 3600, seconds / 60 % 60, seconds % 60);
}

std::string formatHourAngle(Angle ha) {
    const double hours = ha.wrappedSigned().hours();
    const long long minutes = std::llround(std::abs(hours) * 60.0);
    return (hours < 0 && minutes > 0 ? minusSign : "+") + print("%lldh%02lldm", minutes / 60, minutes % 60);
}

std::string formatDuration(double seconds) {
    const long long s = std::llround(std::max(0.0, seconds));
    if (s < 60)
        return print("%lld s", s);
    if (s < 3600)
        return s % 60 ? print("%lld min %02lld s", s / 60, s % 60) : print("%lld min", s / 60);
    return print("%lld h %02lld min", s / 3600, s / 60 % 60);
}

} // namespace nordstjerna
