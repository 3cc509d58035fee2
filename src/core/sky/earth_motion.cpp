#include "core/sky/earth_motion.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <erfa.h>
#include <limits>

namespace nordstjerna {

namespace {
constexpr double fullHour_s = 3600.0;

// All figures of a motion in a row, to be mixed.
constexpr size_t mixedFigures = sizeof(EarthMotion) / sizeof(double);
using MotionFigures = std::array<double, mixedFigures>;
static_assert(sizeof(EarthMotion) == sizeof(MotionFigures));

EarthMotion computed(Instant when) {
    double tai1 = 0.0;
    double tai2 = 0.0;
    double tt1 = 0.0;
    double tt2 = 0.0;
    // The warning for years without tabulated leap seconds is harmless: the Earth moves little in a second.
    eraUtctai(when.jd1(), when.jd2(), &tai1, &tai2);
    eraTaitt(tai1, tai2, &tt1, &tt2);
    EarthMotion e{};
    double heliocentric[2][3];
    eraEpv00(tt1, tt2, heliocentric, e.barycentric);
    std::copy(std::begin(heliocentric[0]), std::end(heliocentric[0]), std::begin(e.fromSun));
    double matrix[3][3];
    eraPnm06a(tt1, tt2, matrix);
    eraBpn2xy(matrix, &e.poleX, &e.poleY);
    e.origin = eraS06(tt1, tt2, e.poleX, e.poleY);
    e.equationOfOrigins = eraEors(matrix, e.origin);
    return e;
}

// At a full hour since 1970.
const EarthMotion& atHour(double hour) {
    struct Kept {
        double hour = std::numeric_limits<double>::quiet_NaN();
        EarthMotion motion{};
    };
    // A night and a day, each hour in a place of its own.
    constexpr size_t places = 32;
    thread_local std::array<Kept, places> kept;
    const double place = hour - places * std::floor(hour / places);
    Kept& k = kept[static_cast<size_t>(place)];
    if (k.hour != hour)
        k = {hour, computed({hour * fullHour_s})};
    return k.motion;
}
} // namespace

EarthMotion earthMotionAt(Instant when) {
    const double hours = when.unix_s / fullHour_s;
    const double before = std::floor(hours);
    const double part = hours - before;
    const auto from = std::bit_cast<MotionFigures>(atHour(before));
    const auto to = std::bit_cast<MotionFigures>(atHour(before + 1.0));
    MotionFigures mixed{};
    for (size_t i = 0; i < mixedFigures; ++i)
        mixed[i] = from[i] + part * (to[i] - from[i]);
    return std::bit_cast<EarthMotion>(mixed);
}

} // namespace nordstjerna
