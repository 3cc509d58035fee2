#include "core/sky/moon.h"

#include <cmath>

#include "core/sky/earth_motion.h"

namespace nordstjerna {

MoonSeen moonAt(const Site& site, Instant when) {
    double pv[2][3];
    eraMoon98(when.jd1(), when.jd2() + 69.0 / 86400.0, pv); // au, from the Earth's middle
    const Vec3 moon(pv[0][0], pv[0][1], pv[0][2]);
    const Vec3 sun = -Vec3(earthMotionAt(when).fromSun);
    // The site from the Earth's middle, turned to the sky by where the zenith points; the flattening of the
    // Earth moves the Moon by less than its own table errs.
    constexpr double earth_au = 6371.0 / 149597870.7;
    const ObservedFrame frame(site, when);
    const Vec3 zenith = frame.icrs(Vec3::UnitZ());
    MoonSeen seen;
    seen.icrs = (moon - earth_au * zenith).normalized();
    seen.enu = frame.seenWithoutAir(seen.icrs);
    // Angle at the Moon between Sun and Earth.
    const Vec3 toSun = (sun - moon).normalized();
    const double phase = std::acos(std::clamp(toSun.dot(-moon.normalized()), -1.0, 1.0));
    seen.lit = 0.5 * (1.0 + std::cos(phase));
    // It waxes while it runs ahead of the Sun to the east, about the pole of the ecliptic.
    const Vec3 pole(0.0, -0.39777716, 0.91748206);
    seen.waxing = sun.cross(moon).dot(pole) > 0.0;
    return seen;
}

} // namespace nordstjerna
