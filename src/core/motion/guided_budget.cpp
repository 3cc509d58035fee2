#include "core/motion/guided_budget.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"
#include "core/motion/line_model.h"

namespace nordstjerna {

namespace {

// One axis over the rows that count.
struct AxisParts {
    std::vector<double> t;
    JudgedAxis judged;
    std::vector<double> rest, noise; // rest: the mount's motion that is left
    std::vector<double> phase;       // of the worm, turns
    std::vector<bool> inGap;
};

// Variance of the rest that the noise of the last frames explains: corrections that chased the air.
double chased(const std::vector<double>& rest, const std::vector<double>& noise) {
    constexpr int lags = 10;
    if (rest.size() < 12 * lags)
        return 0.0;
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(lags, lags);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(lags);
    const double m = mean(rest);
    for (size_t k = lags; k < rest.size(); ++k)
        for (int i = 0; i < lags; ++i) {
            const double x = noise[k - static_cast<size_t>(i) - 1];
            for (int j = 0; j < lags; ++j)
                a(i, j) += x * noise[k - static_cast<size_t>(j) - 1];
            b[i] += x * (rest[k] - m);
        }
    for (int i = 0; i < lags; ++i)
        a(i, i) *= 1.001;
    const Eigen::VectorXd w = solveSymmetric<Eigen::Dynamic>(a, b);
    double explained = 0.0;
    for (int i = 0; i < lags; ++i)
        explained += w[i] * b[i];
    const double n = static_cast<double>(rest.size());
    // Chance alone explains one part in n for each lag.
    return std::max(0.0, explained / n - lags * meanSquare(rest) / n);
}

struct Split {
    double noise = 0.0, periodic = 0.0, drift = 0.0, backlash = 0.0, over = 0.0, under = 0.0, excursion = 0.0;
};

Split splitOf(const AxisParts& p, double worm_s) {
    Split s;
    const double total = meanSquare(p.judged.error);
    const double left = std::min(meanSquare(p.rest), total);
    s.noise = total - left;
    // Gusts: what is far beyond the usual noise.
    const double usual = robustSigma(p.noise);
    double gusts = 0.0;
    for (double n : p.noise)
        if (std::abs(n) > 5.0 * usual)
            gusts += n * n / static_cast<double>(p.noise.size());
    s.excursion = std::min(gusts, s.noise);
    s.noise -= s.excursion;
    const std::vector<int> level(p.t.size(), 0);
    LineModel model(p.t, p.rest, level, 1);
    const double turns = worm_s > 0.0 ? (p.t.back() - p.t.front()) / worm_s : 0.0;
    const bool worm = turns > 1.2;
    if (worm)
        model.tieTo(p.phase, 3);
    const auto fit = model.fit({}, false);
    const double slope = fit.slope.value * (p.t.back() - p.t.front());
    s.drift = slope * slope / 12.0;
    for (const Sinusoid& line : fit.tied)
        // Less what chance would show.
        s.periodic += std::max(0.0, 0.5 * (line.amplitude.value * line.amplitude.value -
                                           2.0 * line.amplitude.sigma * line.amplitude.sigma));
    s.over = chased(fit.residual, p.noise);
    double crossing = 0.0;
    double crossings = 0.0;
    double elsewhere = 0.0;
    for (size_t i = 0; i < p.inGap.size(); ++i) {
        (p.inGap[i] ? crossing : elsewhere) += fit.residual[i] * fit.residual[i];
        crossings += p.inGap[i];
    }
    const double n = static_cast<double>(p.rest.size());
    if (crossings > 5.0 && crossings < n - 5.0)
        s.backlash = std::max(0.0, (crossing - crossings * elsewhere / (n - crossings)) / n);
    // What is explained twice is shared in proportion; what is not explained came too late.
    const double explained = s.drift + s.periodic + s.over + s.backlash;
    const double scale = explained > left && explained > 0.0 ? left / explained : 1.0;
    for (double* part : {&s.drift, &s.periodic, &s.over, &s.backlash})
        *part *= scale;
    s.under = std::max(0.0, left - scale * explained);
    return s;
}

} // namespace

const char* remedyFor(Cause cause) {
    switch (cause) {
    case Cause::noise:
        return "Nothing in the loop lowers it; longer exposures and more guide stars average the air.";
    case Cause::periodic:
        return "The model controller foretells the worm; a correction curve in the mount takes its share "
               "away.";
    case Cause::drift:
        return "Better polar alignment; the model controller corrects what is left ahead of time.";
    case Cause::backlash:
        return "Measure the backlash and let the model take it up, or guide Dec against the drift alone.";
    case Cause::overCorrection:
        return "A smaller loop gain or a longer exposure: the corrections chase the air.";
    case Cause::underCorrection:
        return "A larger loop gain or a shorter exposure: the corrections come too late.";
    case Cause::excursion:
        break;
    }
    return "Shelter from wind and cables; single gusts are best left alone.";
}

std::optional<Cause> GuidedBudget::worst() const {
    for (const BudgetShare& s : shares)
        if (s.cause != Cause::noise && s.cause != Cause::excursion && s.share > 0.1)
            return s.cause;
    return std::nullopt;
}

Expected<GuidedBudget> guidedBudget(const Run& run) {
    const auto rebuilt = rebuildDisturbance(run);
    if (!rebuilt)
        return tl::unexpected(rebuilt.error());
    const Disturbance& d = *rebuilt;
    const MountTrack track = trackMount(d);
    const std::vector<double> phases = d.wormPhases();
    AxisParts ra;
    AxisParts dec;
    for (size_t i = 0; i < d.t_s.size(); ++i) {
        if (!countsForRms(run.rows[d.row[i]]))
            continue;
        const auto add = [&](AxisParts& p, double error, double place, const Measured& mount) {
            p.t.push_back(d.t_s[i]);
            p.judged.add(error, place, mount);
            p.rest.push_back(mount.value + p.judged.load.back());
            p.noise.push_back(place - mount.value);
            p.phase.push_back(phases[i]);
        };
        add(ra, d.recorded[i].dra_arcsec, d.ra_arcsec[i], track.ra[i]);
        add(dec, d.recorded[i].ddec_arcsec, d.dec_arcsec[i], track.dec[i]);
        // While the motor crosses the gap the load stands still.
        const bool first = dec.t.size() < 2;
        const double load = dec.judged.load.back();
        const double before = i > 0 ? d.recorded[i - 1].ddec_arcsec - d.dec_arcsec[i - 1] : load;
        const double sent = i > 0 ? run.rows[d.row[i - 1]].pulseDec_ms : 0.0;
        dec.inGap.push_back(!first && sent != 0.0 && std::abs(load - before) < 1e-6);
    }
    constexpr size_t fewest = 60;
    if (ra.t.size() < fewest)
        return problem("Too little of the run counts for a budget.",
                       std::to_string(ra.t.size()) + " rows of at least 60 are steady.", "Guide for longer.");
    GuidedBudget b;
    b.span_s = ra.t.back() - ra.t.front();
    b.recorded = figuresFrom(ra.judged, dec.judged);
    b.bound = loopBound(d, track);
    const Split r = splitOf(ra, d.priors.ra.wormPeriod_s);
    const Split e = splitOf(dec, 0.0);
    const std::pair<Cause, double> parts[] = {{Cause::noise, r.noise + e.noise},
                                              {Cause::periodic, r.periodic + e.periodic},
                                              {Cause::drift, r.drift + e.drift},
                                              {Cause::backlash, r.backlash + e.backlash},
                                              {Cause::overCorrection, r.over + e.over},
                                              {Cause::underCorrection, r.under + e.under},
                                              {Cause::excursion, r.excursion + e.excursion}};
    double total = 0.0;
    for (const auto& [cause, part] : parts)
        total += part;
    for (const auto& [cause, part] : parts)
        if (part > 0.0 && total > 0.0)
            b.shares.push_back({cause, part / total, std::sqrt(part)});
    std::sort(b.shares.begin(), b.shares.end(),
              [](const BudgetShare& x, const BudgetShare& y) { return x.share > y.share; });
    return b;
}

} // namespace nordstjerna
