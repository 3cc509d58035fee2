#include "random_mount.h"

#include <cmath>

#include "core/base/random.h"
#include "night_fixture.h"

namespace nordstjerna {

RandomMount randomMount(std::uint64_t seed) {
    Random r(mixBits(seed * 7919 + 17));
    RandomMount m;
    Scenario& s = m.scenario;
    s = perfectScenario();
    s.seed = seed;
    s.rig.horizon = {};
    const bool south = seed % 4 == 3;
    if (south) {
        s.start = s.start + 6 * 3600.0; // night there
        s.rig.site.latitude = -s.rig.site.latitude;
    }
    s.axisEast_arcmin = r.uniform(-5, 5);
    s.axisHigh_arcmin = r.uniform(-5, 5);
    const double period = r.uniform(240, 640);
    s.rig.mount.wormPeriod_s = period;
    const double size = 0.5 * std::exp(r.uniform(std::log(0.5), std::log(40.0)));
    const double falls[] = {1.0, r.uniform(0.05, 0.4), r.uniform(0.02, 0.2)};
    s.periodic.clear();
    for (int h = 0; h < 3; ++h)
        s.periodic.push_back({period / (h + 1), size * falls[h], r.uniform(0, 360)});
    s.periodic.push_back({period / r.uniform(4.2, 9.7), r.uniform(0.0, 0.1) * size, r.uniform(0, 360)});
    s.wormVariation = r.uniform(0.0, 0.02);
    s.walkRa_arcsec = std::exp(r.uniform(std::log(0.05), std::log(0.6)));
    s.walkDec_arcsec = std::exp(r.uniform(std::log(0.03), std::log(0.3)));
    s.decBacklash_arcsec = r.uniform(0, 6);
    s.guideRateError = r.uniform(-0.03, 0.03);
    s.seeing_arcsec = r.uniform(1.0, 4.0);
    s.slowAirShare = r.uniform(0.1, 0.4);
    s.slowAir_s = r.uniform(3.0, 10.0);
    s.reportsWorm = r.uniform() < 0.5;
    m.exposure_s = r.uniform(1.0, 4.0);
    m.rateFactorRa = r.uniform(0.95, 1.05);
    m.rateFactorDec = r.uniform(0.95, 1.05);
    const double side = seed % 2 ? -1.0 : 1.0;
    m.place = {Angle::fromHours(side * r.uniform(0.8, 2.5)),
               Angle::fromDeg((south ? -1.0 : 1.0) * r.uniform(0.0, 50.0))};
    return m;
}

} // namespace nordstjerna
