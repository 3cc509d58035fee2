#include "core/focus/heat.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

Measured HeatSlope::at(double temperature_c) const {
    const double off = temperature_c - middle_c;
    return {middle_steps.value + steps_c.value * off,
            std::sqrt(std::pow(middle_steps.sigma, 2) + std::pow(steps_c.sigma * off, 2) +
                      scatter_steps * scatter_steps)};
}

std::optional<HeatSlope> heatSlope(const std::vector<FocusedOnce>& all) {
    constexpr double least_c = 1.5;
    struct Known {
        Measured steps;
        double temperature_c;
    };
    std::vector<Known> runs;
    for (const FocusedOnce& r : all)
        if (r.temperature_c)
            runs.push_back({r.steps, *r.temperature_c});
    if (runs.size() < 3)
        return std::nullopt;
    const auto [cold, warm] =
        std::minmax_element(runs.begin(), runs.end(),
                            [](const Known& a, const Known& b) { return a.temperature_c < b.temperature_c; });
    if (warm->temperature_c - cold->temperature_c < least_c)
        return std::nullopt;
    double w = 0.0;
    double wt = 0.0;
    double ws = 0.0;
    for (const Known& r : runs) {
        const double weight = 1.0 / std::pow(std::max(r.steps.sigma, 1e-3), 2);
        w += weight;
        wt += weight * r.temperature_c;
        ws += weight * r.steps.value;
    }
    HeatSlope slope;
    slope.runs = static_cast<int>(runs.size());
    slope.middle_c = wt / w;
    double tt = 0.0;
    double ts = 0.0;
    for (const Known& r : runs) {
        const double weight = 1.0 / std::pow(std::max(r.steps.sigma, 1e-3), 2);
        tt += weight * std::pow(r.temperature_c - slope.middle_c, 2);
        ts += weight * (r.temperature_c - slope.middle_c) * (r.steps.value - ws / w);
    }
    const double line = ts / tt;
    double chi2 = 0.0;
    double squares = 0.0;
    for (const Known& r : runs) {
        const double off = r.steps.value - ws / w - line * (r.temperature_c - slope.middle_c);
        chi2 += std::pow(off / std::max(r.steps.sigma, 1e-3), 2);
        squares += off * off;
    }
    const double freedom = static_cast<double>(runs.size()) - 2.0;
    // Three runs may lie on a line by chance: what they claim of themselves counts like two more.
    const double grow = std::sqrt((2.0 + chi2) / (2.0 + freedom));
    slope.steps_c = {line, std::max(1.0, grow) / std::sqrt(tt)};
    slope.middle_steps = {ws / w, std::max(1.0, grow) / std::sqrt(w)};
    slope.scatter_steps = std::sqrt(squares / freedom);
    return slope;
}

} // namespace nordstjerna
