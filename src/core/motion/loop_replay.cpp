#include "core/motion/loop_replay.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/statistics.h"
#include "core/motion/line_model.h"

namespace nordstjerna {

ReplayedAxis replayAxis(std::span<const double> t, std::span<const double> disturbance,
                        std::span<const int> level, const AxisSettings& settings, double rate) {
    constexpr int settling = 10;
    const double most = rate > 0.0 ? rate * settings.pulseLimit_ms / 1000.0 : 1e9;
    std::vector<double> errors;
    int corrected = 0;
    ProportionalController controller(settings);
    double sum = 0.0; // of all corrections so far
    int since = 0;
    for (size_t i = 0; i < t.size(); ++i) {
        if (i == 0 || level[i] != level[i - 1]) {
            controller.reset();
            sum = disturbance[i];
            since = 0;
        }
        const double error = disturbance[i] - sum;
        const double c = std::clamp(controller.correction(error), -most, most);
        sum += c;
        if (++since <= settling)
            continue;
        errors.push_back(error);
        corrected += c != 0.0;
    }
    ReplayedAxis r;
    if (errors.size() < 10)
        return r;
    const double n = static_cast<double>(errors.size());
    r.rms_arcsec.value = standardDeviation(errors);
    const double inflation = slowInflation(errors);
    r.rms_arcsec.sigma = r.rms_arcsec.value * inflation / std::sqrt(2.0 * n);
    r.corrections = corrected / n;
    return r;
}

} // namespace nordstjerna
