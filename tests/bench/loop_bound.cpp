#include "loop_bound.h"

#include "core/base/statistics.h"
#include "core/guide/noise_meter.h"
#include "core/motion/loop_bound.h"

namespace nordstjerna {

Bound ridgeBound(const std::vector<double>& seen, const std::vector<double>& mount) {
    return {predictionBound(seen, seen), predictionBound(seen, mount)};
}

Bound oracleBound(const std::vector<double>& t, const std::vector<double>& seen,
                  const std::vector<double>& mount, const FilterModel& truth, double period) {
    AxisFilter filter(truth);
    NoiseMeter noise;
    std::vector<double> restSeen;
    std::vector<double> restMount;
    for (size_t k = 0; k < t.size(); ++k) {
        filter.advance(k ? t[k] - t[k - 1] : 0.0, t[k] / period);
        if (2 * k >= t.size()) {
            restSeen.push_back(seen[k] - filter.seen(0.0, t[k] / period).value);
            restMount.push_back(mount[k] - filter.mount(0.0, t[k] / period).value);
        }
        noise.feed(t[k], seen[k], 0.02);
        filter.update(seen[k], noise.variance_arcsec2());
    }
    return {standardDeviation(restSeen), standardDeviation(restMount)};
}

} // namespace nordstjerna
