#include "core/motion/motion_analysis.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/motion/line_model.h"

namespace nordstjerna {

namespace {

// Of one row: as recorded, or from SNR and star width. A Gaussian star gives σ = width/SNR when its own light
// rules the noise and √2 of that when the sky does (e.g. Winick 1986); between the two, 1.2.
double centroidOf(const RunRow& r, double scale_arcsec_px) {
    if (r.centroid_arcsec > 0.0)
        return r.centroid_arcsec;
    constexpr double hfdPerSigma = 2.3548;
    return r.snr > 0.0 && r.hfd_px > 0.0 && scale_arcsec_px > 0.0
               ? 1.2 * r.hfd_px / hfdPerSigma / r.snr * scale_arcsec_px
               : 0.0;
}

Measured centroidNoise(const Run& run) {
    std::vector<double> own;
    for (const RunRow& r : run.rows)
        if (const double c = countsForRms(r) ? centroidOf(r, run.meta.guideScale_arcsec_px) : 0.0; c > 0.0)
            own.push_back(c);
    if (own.empty())
        return {};
    const double typical = median(own);
    // The formulas hold to about a tenth.
    return {typical, 0.1 * typical};
}

void judgeAxis(AxisMotion& a, const CleanRun& clean, const std::vector<double>& v, const Measured& centroid,
               const PeriodicOptions& options) {
    a.noise_arcsec = fastNoise(clean.t_s, v);
    a.centroid_arcsec = centroid;
    if (centroid.value > 0.0)
        a.air_arcsec = quadratureRest(a.noise_arcsec, centroid);
    if (auto periodic = findPeriodic(clean.t_s, v, options)) {
        a.periodic = std::move(*periodic);
    } else {
        // Too few rows for periods; a line can be had.
        const auto line = LineModel(clean.t_s, v, clean.level, clean.levels).fit({}, false);
        a.periodic.drift_arcsec_min = {60.0 * line.slope.value, 60.0 * line.slope.sigma};
        a.periodic.residual = line.residual;
        a.periodic.residual_arcsec = line.sigma;
        a.periodic.driftVariance_arcsec2 = std::pow(line.slope.value * clean.span_s(), 2) / 12.0;
    }
    a.drift_arcsec_min = a.periodic.drift_arcsec_min;
    a.drift_level_arcsec = {mean(v), a.periodic.residual_arcsec / std::sqrt(static_cast<double>(v.size()))};
}

// By the mount, else by the time; nothing where no worm was seen.
std::vector<double> wormPhasesOf(const MotionAnalysis& m) {
    if (!m.ra.periodic.worm || !m.clean.worm_turns.empty())
        return m.clean.worm_turns;
    std::vector<double> turns;
    for (const double t_s : m.clean.t_s)
        turns.push_back(t_s / m.ra.periodic.worm->period_s.value);
    return turns;
}

std::vector<BudgetShare> budgetOf(const MotionAnalysis& m) {
    double parts[static_cast<int>(Cause::excursion) + 1] = {};
    for (const AxisMotion* a : {&m.ra, &m.dec}) {
        const PeriodicResult& p = a->periodic;
        const double total = a->rms_arcsec * a->rms_arcsec;
        const double noise = meanSquare(p.residual);
        const double sum = noise + p.driftVariance_arcsec2 + p.periodicVariance_arcsec2;
        const double clean = m.clean.leftOut.empty() && m.clean.levels == 1 ? total : std::min(total, sum);
        if (!(sum > 0.0))
            continue;
        // An unfinished turn counts partly as drift and partly as period: shared in proportion.
        parts[static_cast<int>(Cause::noise)] += clean * noise / sum;
        parts[static_cast<int>(Cause::drift)] += clean * p.driftVariance_arcsec2 / sum;
        parts[static_cast<int>(Cause::periodic)] += clean * p.periodicVariance_arcsec2 / sum;
        parts[static_cast<int>(Cause::excursion)] += total - clean;
    }
    double total = 0.0;
    for (double part : parts)
        total += part;
    std::vector<BudgetShare> budget;
    for (Cause c : {Cause::noise, Cause::periodic, Cause::drift, Cause::excursion})
        if (total > 0.0 && parts[static_cast<int>(c)] > 0.0)
            budget.push_back({c, parts[static_cast<int>(c)] / total, std::sqrt(parts[static_cast<int>(c)])});
    std::sort(budget.begin(), budget.end(),
              [](const BudgetShare& a, const BudgetShare& b) { return a.share > b.share; });
    return budget;
}

} // namespace

namespace {
struct CauseNames {
    const char* id; // in files and for scripts
    const char* words;
};
// In the order of the causes.
constexpr CauseNames causeTable[] = {{"noise", Text::mark("noise")},
                                     {"periodic", Text::mark("periodic error")},
                                     {"drift", Text::mark("drift")},
                                     {"backlash", Text::mark("backlash")},
                                     {"over_correction", Text::mark("corrected too much")},
                                     {"under_correction", Text::mark("corrected too little")},
                                     {"excursion", Text::mark("single excursions")}};
} // namespace

const char* causeName(Cause cause) {
    return causeTable[static_cast<size_t>(cause)].id;
}

Text causeWords(Cause cause) {
    return Text::say(causeTable[static_cast<size_t>(cause)].words);
}

Expected<MotionAnalysis> analyseMotion(const Run& run, double wormPeriod_s) {
    const auto summary = summarise(run);
    if (!summary)
        return tl::unexpected(summary.error());
    MotionAnalysis m;
    m.clean = cleanRun(run);
    m.wormGiven_s = wormPeriod_s;
    if (m.clean.t_s.size() < 10)
        return problem(Text::say("The run is too restless to judge."),
                       Text::say("%1 of %2 are left between %3 and without excursions.")
                           .arg(Text::say("%n row|%n rows", "", m.rowsUsed()))
                           .arg(run.rows.size())
                           .arg(Text::say("%n jump|%n jumps", "", static_cast<int>(m.clean.jumps_s.size()))),
                       Text::say("Record again without slews or dithers, out of the wind."));
    constexpr double longest_s = 7.0 * 86400.0;
    if (m.clean.span_s() > longest_s)
        return problem(
            Text::say("The run lasts %1 days.").arg(formatNumber(m.clean.span_s() / 86400.0, 0)),
            Text::say("That is no free run, or its time column is not in seconds since the start."),
            Text::say("Check the column, or cut the table into nights."));
    m.summary = *summary;
    m.ra.rms_arcsec = summary->ra.rms_arcsec;
    m.dec.rms_arcsec = summary->dec.rms_arcsec;
    const Measured centroid = centroidNoise(run);
    PeriodicOptions ra;
    ra.wormPeriod_s = wormPeriod_s;
    ra.wormTurns = m.clean.worm_turns;
    ra.level = m.clean.level;
    PeriodicOptions dec;
    dec.worm = false;
    dec.level = m.clean.level;
    shareOut(2, [&](size_t part, size_t parts) {
        if (part == 0)
            judgeAxis(m.ra, m.clean, m.clean.ra_arcsec, centroid, ra);
        if (part + 1 == parts)
            judgeAxis(m.dec, m.clean, m.clean.dec_arcsec, centroid, dec);
    });
    m.mechanical_arcsec = quadratureRest(m.ra.noise_arcsec, m.dec.noise_arcsec);
    const auto together = [](const Measured& a, const Measured& b) {
        return std::sqrt(0.5 * (a.value * a.value + b.value * b.value));
    };
    m.sway = randomSway(
        m.clean.t_s, m.ra.periodic.residual, m.dec.periodic.residual,
        {together(m.ra.air_arcsec, m.dec.air_arcsec), together(m.ra.centroid_arcsec, m.dec.centroid_arcsec)});
    m.budget = budgetOf(m);
    if (run.meta.kind == RunKind::free)
        m.flank =
            flankChange(m.clean.t_s, m.clean.ra_arcsec, m.clean.dec_arcsec, m.clean.level, wormPhasesOf(m));
    return m;
}

} // namespace nordstjerna
