#include "core/focus/focuser_backlash.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

double takeUp_steps(const FocuserSpec& f) {
    constexpr double unknown = 500.0;
    return f.backlash_steps >= 0.0 ? f.backlash_steps + 4.0 * f.backlashSigma_steps + 2.0 : unknown;
}

std::optional<FocuserBacklash> estimateFocuserBacklash(const FocusCurve& curve, double low, double high,
                                                       const std::vector<InwardFrame>& frames) {
    if (frames.empty())
        return std::nullopt;
    double moved = 0.0;
    for (const InwardFrame& f : frames)
        moved = std::max(moved, f.from - f.steps);
    const auto badness = [&](double backlash) {
        double sum = 0.0;
        for (const InwardFrame& f : frames) {
            const double camera = std::min(f.from, f.steps + backlash);
            const double h = curve.at(camera);
            const double a = curve.hfd_px.value;
            const double shape = camera >= low && camera <= high ? 0.01 : 0.12;
            const double air = std::max(curve.shake, 0.05) * a * std::min(1.0, a / h);
            const double sigma = std::sqrt(std::pow(f.hfd_px.sigma, 2) + air * air + std::pow(shape * h, 2));
            sum += std::pow((f.hfd_px.value - h) / sigma, 2);
        }
        return sum;
    };
    constexpr int grid = 1200;
    std::vector<double> chi2(grid + 1);
    for (int i = 0; i <= grid; ++i)
        chi2[static_cast<size_t>(i)] = badness(moved * i / grid);
    const auto best = std::min_element(chi2.begin(), chi2.end());
    const double least = *best;
    // What is as likely as one standard deviation, about the best and elsewhere.
    const double cell = moved / grid;
    const auto at = static_cast<int>(best - chi2.begin());
    int left = at;
    int right = at;
    while (left > 0 && chi2[static_cast<size_t>(left - 1)] < least + 1.0)
        --left;
    while (right < grid && chi2[static_cast<size_t>(right + 1)] < least + 1.0)
        ++right;
    FocuserBacklash e;
    const double own = std::max(0.5 * (right - left) * cell, 0.5 * cell);
    e.steps = {0.5 * (left + right) * cell, std::hypot(own, curve.best_steps.sigma)};
    constexpr double excluded = 9.0;
    bool only = true;
    const double apart = 4.0 * std::max(own, cell);
    for (int i = 0; i <= grid; ++i)
        if (std::abs(i - at) * cell > apart && chi2[static_cast<size_t>(i)] < least + excluded)
            only = false;
    e.unmoved = chi2.back() < least + excluded;
    // Frames that contradict each other tell nothing.
    const bool agree = least < 9.0 + 2.0 * static_cast<double>(frames.size());
    e.certain = only && agree && !e.unmoved;
    return e;
}

} // namespace nordstjerna
