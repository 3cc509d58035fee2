#include "core/motion/gear_answer.h"

#include <algorithm>
#include <cmath>

#include "core/base/angle.h"
#include "core/motion/wander_regression.h"

namespace nordstjerna {

namespace {
constexpr Eigen::Index plusPulses = 2, minusPulses = 3; // columns

// By how much more the first of both answers: their mean and half of their difference in place of themselves.
Measured difference(std::vector<WanderRow> rows) {
    for (WanderRow& row : rows) {
        const double plus = row.column[plusPulses], minus = row.column[minusPulses];
        row.column[plusPulses] = plus + minus;
        row.column[minusPulses] = 0.5 * (plus - minus);
    }
    return fitUnderWander(rows)[minusPulses];
}
} // namespace

GearAnswer gearAnswer(const std::vector<GearSample>& samples, double wormPeriod_s) {
    GearAnswer answer;
    if (samples.empty())
        return answer;
    // There it was, drift, west and east pulses, the worm; the place.
    constexpr double usualPeriod_s = 480.0;
    const double worm_s = wormPeriod_s > 0.0 ? wormPeriod_s : usualPeriod_s;
    std::vector<WanderRow> ra;
    for (const GearSample& s : samples) {
        WanderRow row{s.t_s, Eigen::VectorXd(11)};
        const double angle = tau * s.t_s / worm_s;
        row.column << 1.0, s.t_s - samples.front().t_s, s.promised_arcsec[0], s.promised_arcsec[1],
            std::sin(angle), std::cos(angle), std::sin(2.0 * angle), std::cos(2.0 * angle),
            std::sin(3.0 * angle), std::cos(3.0 * angle), s.ra_arcsec;
        ra.push_back(std::move(row));
    }
    if (const auto fit = fitUnderWander(ra); !fit.empty()) {
        answer.west = fit[plusPulses];
        answer.east = fit[minusPulses];
        answer.westOverEast = difference(std::move(ra));
    }
    std::vector<WanderRow> dec;
    const int reversals = std::ranges::max(samples, {}, &GearSample::decReversals).decReversals;
    const GearSample* first = nullptr;
    for (const GearSample& s : samples) {
        if (!s.decFollows)
            continue;
        if (!first)
            first = &s;
        WanderRow row{s.t_s, Eigen::VectorXd::Zero(5 + reversals)};
        row.column[0] = 1.0;
        row.column[1] = s.t_s - first->t_s;
        row.column[plusPulses] = s.promised_arcsec[2] - first->promised_arcsec[2];
        row.column[minusPulses] = s.promised_arcsec[3] - first->promised_arcsec[3];
        // The way that was lost at each reversal before: south pulses first, then north ones.
        for (int k = 0; k < s.decReversals; ++k)
            row.column[4 + k] = std::copysign(1.0, first->promised_arcsec[2]) * (k % 2 == 0 ? 1.0 : -1.0);
        row.column[4 + reversals] = s.dec_arcsec;
        dec.push_back(std::move(row));
    }
    const auto fit = fitUnderWander(dec);
    if (fit.empty())
        return answer;
    answer.decTried = true;
    answer.north = fit[plusPulses];
    answer.south = fit[minusPulses];
    answer.backlash_arcsec.assign(fit.begin() + 4, fit.end());
    answer.northOverSouth = difference(std::move(dec));
    return answer;
}

} // namespace nordstjerna
