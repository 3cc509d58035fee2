#include "core/motion/axis_summary.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/line_fit.h"
#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
double rmsAboutMean(const std::vector<double>& v) {
    return std::sqrt(meanSquare(v));
}

struct Series {
    std::vector<double> t, ra, dec;
};

Series usable(const std::vector<RunRow>& rows) {
    Series s;
    for (const RunRow& r : rows)
        if (countsForRms(r)) {
            s.t.push_back(r.t_s);
            s.ra.push_back(r.dra_arcsec);
            s.dec.push_back(r.ddec_arcsec);
        }
    return s;
}
} // namespace

std::vector<double> fastParts(std::span<const double> t, std::span<const double> v) {
    const double usual = medianStep(t);
    std::vector<double> parts;
    for (size_t i = 2; i < t.size(); ++i)
        if (t[i] - t[i - 1] < 1.5 * usual && t[i - 1] - t[i - 2] < 1.5 * usual)
            parts.push_back(std::abs(v[i] - 2.0 * v[i - 1] + v[i - 2]) / std::sqrt(6.0));
    return parts;
}

Measured fastNoise(std::span<const double> t, std::span<const double> v) {
    const std::vector<double> parts = fastParts(t, v);
    if (parts.size() < 5)
        return {};
    // About zero, not about their own median: second differences have none.
    const double sigma = madToSigma * median(parts);
    // Efficiency of the median deviation 37 %; overlapping differences halve the independent ones.
    return {sigma, sigma * std::sqrt(1.9 / (2.0 * 0.37 * static_cast<double>(parts.size())))};
}

Expected<RunSummary> summarise(const Run& run) {
    const Series s = usable(run.rows);
    if (s.t.size() < 10)
        return problem(Text::say("The run is too short to judge."),
                       Text::say("%1 of %2; at least 10 are needed.")
                           .arg(Text::say("%n usable row|%n usable rows", "", static_cast<int>(s.t.size())))
                           .arg(run.rows.size()),
                       Text::say("Record longer, or check why the star was lost."));
    RunSummary summary;
    const auto one = [&](const std::vector<double>& v) -> Expected<AxisSummary> {
        AxisSummary a;
        const auto line = fitLine(s.t, v);
        if (!line)
            return tl::unexpected(line.error());
        a.drift_arcsec_min = {60.0 * line->slope.value, 60.0 * line->slope.sigma};
        a.rms_arcsec = rmsAboutMean(v);
        const double r = std::clamp(autocorrelation(v, 1), 0.0, 0.95);
        a.offset_arcsec = {mean(v),
                           a.rms_arcsec * std::sqrt((1.0 + r) / (1.0 - r) / static_cast<double>(v.size()))};
        a.noise_arcsec = fastNoise(s.t, v);
        return a;
    };
    const auto ra = one(s.ra);
    const auto dec = one(s.dec);
    if (!ra || !dec)
        return tl::unexpected(ra ? dec.error() : ra.error());
    summary.ra = *ra;
    summary.dec = *dec;
    summary.totalRms_arcsec = std::hypot(ra->rms_arcsec, dec->rms_arcsec);
    summary.rowsUsed = static_cast<int>(s.t.size());
    summary.rowsLeftOut = static_cast<int>(run.rows.size() - s.t.size());
    summary.span_s = s.t.back() - s.t.front();
    summary.lag1Ra = autocorrelation(s.ra, 1);
    summary.lag1Dec = autocorrelation(s.dec, 1);
    return summary;
}

std::optional<LiveRms> liveRms(const std::vector<RunRow>& rows, double window_s) {
    if (rows.empty())
        return std::nullopt;
    const Series s = usable({rowAt(rows, rows.back().t_s - window_s), rows.end()});
    if (s.t.size() < 5)
        return std::nullopt;
    LiveRms live;
    live.ra_arcsec = rmsAboutMean(s.ra);
    live.dec_arcsec = rmsAboutMean(s.dec);
    live.total_arcsec = std::hypot(live.ra_arcsec, live.dec_arcsec);
    live.offsetRa_arcsec = mean(s.ra);
    live.offsetDec_arcsec = mean(s.dec);
    live.rows = static_cast<int>(s.t.size());
    const double r = std::clamp(std::max(autocorrelation(s.ra, 1), autocorrelation(s.dec, 1)), 0.0, 0.95);
    const double independent = std::max(2.0, live.rows * (1.0 - r) / (1.0 + r));
    live.sigma_arcsec = live.total_arcsec / std::sqrt(4.0 * independent);
    return live;
}

} // namespace nordstjerna
