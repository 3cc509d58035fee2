#include "core/review/compare.h"

#include <algorithm>
#include <cmath>
#include <complex>

#include "core/base/format.h"
#include "core/base/fourier_sums.h"
#include "core/base/statistics.h"
#include "core/guide/settings_book.h"
#include "core/motion/axis_summary.h"

namespace nordstjerna {

namespace {
constexpr size_t fewestRows = 60; // rows

struct AxisSeries {
    std::vector<double> t, v;
};

// Frames that say something new of the variance: neighbours hang together.
double independent(const std::vector<double>& v) {
    constexpr int lags = 20;
    double longer = 1.0;
    for (int lag = 1; lag <= lags; ++lag) {
        const double r = autocorrelation(v, lag);
        longer += 2.0 * r * r;
    }
    return std::max(4.0, static_cast<double>(v.size()) / longer);
}

// Mean square about the mean, with what it is known to.
Measured squareOf(const std::vector<double>& v) {
    const double square = meanSquare(v);
    return {square, square * std::sqrt(2.0 / independent(v))};
}

Measured rootOf(const Measured& square) {
    const double root = std::sqrt(std::max(0.0, square.value));
    // Near zero the root is known no better than the root of the ±.
    return {root, square.sigma / (2.0 * std::max(root, 0.5 * std::sqrt(square.sigma)) + 1e-12)};
}

AxisBands bandsOf(const AxisSeries& s) {
    AxisBands bands;
    const double span = s.t.back() - s.t.front();
    const double step = medianStep(s.t);
    if (span <= 0.0 || step <= 0.0)
        return bands;
    const double m = mean(s.v);
    std::vector<double> turns;
    std::vector<std::complex<double>> strength;
    for (size_t i = 0; i < s.t.size(); ++i) {
        turns.push_back((s.t[i] - s.t.front()) / span);
        strength.emplace_back(s.v[i] - m, 0.0);
    }
    const auto count = static_cast<size_t>(std::max(2.0, span / (2.0 * step)));
    const auto sums = fourierSums(turns, strength, count + 1);
    std::array<double, bandCount> power{};
    std::array<int, bandCount> lines{};
    double whole = 0.0;
    for (size_t k = 1; k <= count; ++k) {
        const double period = span / static_cast<double>(k);
        const auto band = static_cast<size_t>(
            std::upper_bound(bandEdges_s.begin(), bandEdges_s.end(), period) - bandEdges_s.begin());
        power[band] += std::norm(sums[k]);
        ++lines[band];
        whole += std::norm(sums[k]);
    }
    if (whole <= 0.0)
        return bands;
    const double square = meanSquare(s.v);
    for (size_t b = 0; b < bandCount; ++b)
        if (lines[b] > 0)
            bands.rms_arcsec[b] =
                rootOf({square * power[b] / whole,
                        square * power[b] / whole / std::sqrt(static_cast<double>(lines[b]))});
    return bands;
}

Expected<RunSide> sideOf(const Run& run, const std::string& which) {
    AxisSeries ra;
    AxisSeries dec;
    for (const RunRow& r : run.rows)
        if (run.meta.kind == RunKind::guided ? countsForRms(r) : r.measured()) {
            ra.t.push_back(r.t_s);
            ra.v.push_back(r.dra_arcsec);
            dec.v.push_back(r.ddec_arcsec);
        }
    dec.t = ra.t;
    if (ra.t.size() < fewestRows)
        return problem("The " + which + " run is too short to compare.",
                       formatCount(static_cast<int>(ra.t.size()), "row") + " count; " +
                           std::to_string(fewestRows) + " are needed.",
                       "Choose a longer one.");
    RunSide s;
    s.span_s = ra.t.back() - ra.t.front();
    const Measured a = squareOf(ra.v);
    const Measured b = squareOf(dec.v);
    s.ra_arcsec = rootOf(a);
    s.dec_arcsec = rootOf(b);
    const Measured total{a.value + b.value, std::hypot(a.sigma, b.sigma)};
    s.total_arcsec = rootOf(total);
    const Measured fastRa = fastNoise(ra.t, ra.v);
    const Measured fastDec = fastNoise(dec.t, dec.v);
    s.fast_arcsec = quadratureSum(fastRa, fastDec);
    const double fast2 = std::pow(s.fast_arcsec.value, 2);
    s.slow_arcsec = rootOf(
        {total.value - fast2, std::hypot(total.sigma, 2.0 * s.fast_arcsec.value * s.fast_arcsec.sigma)});
    s.ra = bandsOf(ra);
    s.dec = bandsOf(dec);
    return s;
}

std::vector<SettingDifference> differencesOf(const Run& first, const Run& second) {
    std::vector<SettingDifference> list;
    if (first.meta.controller && second.meta.controller)
        for (SettingKey key : settingsThatDiffer(*first.meta.controller, *second.meta.controller))
            list.push_back({settingId(key), settingValue(*first.meta.controller, key),
                            settingValue(*second.meta.controller, key)});
    if (first.meta.loop && second.meta.loop && first.meta.loop->exposure_s != second.meta.loop->exposure_s)
        list.push_back(
            {settingId(SettingKey::exposure), first.meta.loop->exposure_s, second.meta.loop->exposure_s});
    return list;
}
} // namespace

Run joined(const std::vector<Run>& runs) {
    Run all;
    for (const Run& run : runs) {
        if (run.rows.empty())
            continue;
        if (all.rows.empty())
            all.meta = run.meta;
        for (RunRow row : run.rows) {
            row.t_s += run.meta.start - all.meta.start;
            // Two programs may have guided at once: what lies before the end of the last one is left out.
            if (all.rows.empty() || row.t_s > all.rows.back().t_s)
                all.rows.push_back(std::move(row));
        }
    }
    return all;
}

Expected<RunComparison> compareRuns(const Run& first, const Run& second) {
    auto a = sideOf(first, "first");
    if (!a)
        return tl::unexpected(a.error());
    auto b = sideOf(second, "second");
    if (!b)
        return tl::unexpected(b.error());
    RunComparison c;
    c.first = *a;
    c.second = *b;
    const auto difference = [](const Measured& x, const Measured& y) {
        return Measured{y.value - x.value, std::hypot(x.sigma, y.sigma)};
    };
    c.total_arcsec = difference(a->total_arcsec, b->total_arcsec);
    c.slow_arcsec = difference(a->slow_arcsec, b->slow_arcsec);
    c.settings = differencesOf(first, second);
    constexpr double certain = 2.0;
    if (std::abs(c.slow_arcsec.value) > certain * c.slow_arcsec.sigma)
        c.verdict = c.slow_arcsec.value > 0.0 ? Difference::first : Difference::second;
    const std::string slow =
        formatMeasured(a->slow_arcsec, "″", 2) + " and " + formatMeasured(b->slow_arcsec, "″", 2);
    if (c.verdict == Difference::none)
        c.words = "Beyond the seeing the two do not differ (" + slow + ").";
    else
        c.words = std::string(c.verdict == Difference::first ? "The first" : "The second") +
                  " has the smaller error beyond the seeing: " + slow + ".";
    const Measured air = difference(a->fast_arcsec, b->fast_arcsec);
    if (std::abs(air.value) > certain * air.sigma)
        c.words += " The seeing was " + std::string(air.value > 0.0 ? "worse" : "better") +
                   " in the second: " + formatMeasured(a->fast_arcsec, "″", 2) + " and " +
                   formatMeasured(b->fast_arcsec, "″", 2) + ".";
    return c;
}

} // namespace nordstjerna
