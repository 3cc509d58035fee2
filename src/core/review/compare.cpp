#include "core/review/compare.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numeric>

#include "core/base/format.h"
#include "core/base/fourier_sums.h"
#include "core/base/line_fit.h"
#include "core/base/statistics.h"
#include "core/guide/settings_book.h"
#include "core/motion/axis_summary.h"
#include "core/motion/mount_part.h"
#include "core/motion/mount_track.h"

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
                rootOfSquare({square * power[b] / whole,
                              square * power[b] / whole / std::sqrt(static_cast<double>(lines[b]))});
    return bands;
}

// Mean square about a straight line, of a stretch of the mount's track.
double squareWithin(const MountTrack& track, const std::vector<double>& t, size_t from, size_t to) {
    const std::vector<double> time(t.begin() + static_cast<std::ptrdiff_t>(from),
                                   t.begin() + static_cast<std::ptrdiff_t>(to));
    std::vector<size_t> frame(to - from);
    std::iota(frame.begin(), frame.end(), from);
    const auto lessDrift = [&](const std::vector<Measured>& axis) {
        std::vector<double> place;
        for (size_t i : frame)
            place.push_back(axis[i].value);
        const auto line = fitLine(time, place);
        std::vector<double> drift;
        for (double at : time)
            drift.push_back(line ? -line->at(at) : 0.0);
        return drift;
    };
    return std::pow(
        mountParts(track, frame, lessDrift(track.ra), lessDrift(track.dec), time.back() - time.front())
            .both_arcsec.value,
        2);
}

// What the mount does within stretches of this length.
Measured mountPartWithin(const Disturbance& d, const MountTrack& track, double length_s) {
    constexpr size_t fewestFrames = 20;
    std::vector<double> squares;
    for (size_t from = 0; from < d.t_s.size();) {
        size_t to = from;
        while (to < d.t_s.size() && d.t_s[to] - d.t_s[from] < length_s)
            ++to;
        // The rest at the end is no whole stretch.
        if (to < d.t_s.size() && to - from >= fewestFrames)
            squares.push_back(squareWithin(track, d.t_s, from, to));
        from = to;
    }
    if (squares.size() < 2)
        return {0.0, 0.0};
    const double sigma = standardDeviation(squares) / std::sqrt(static_cast<double>(squares.size()) - 1.0);
    return rootOfSquare({mean(squares), sigma});
}

// A run, read as far as both kinds of comparison need it.
struct ReadRun {
    AxisSeries ra, dec; // rows that count
    Disturbance disturbance;
    MountTrack track;
    bool guided = false;
    double span_s() const { return ra.t.back() - ra.t.front(); }
};

Expected<ReadRun> readFor(const Run& run, const std::string& which) {
    ReadRun r;
    r.guided = run.meta.kind == RunKind::guided;
    for (const RunRow& row : run.rows)
        if (r.guided ? countsForRms(row) : row.measured()) {
            r.ra.t.push_back(row.t_s);
            r.ra.v.push_back(row.dra_arcsec);
            r.dec.v.push_back(row.ddec_arcsec);
        }
    r.dec.t = r.ra.t;
    if (r.ra.t.size() < fewestRows)
        return problem(Text::say("The %1 run is too short to compare.").arg(which),
                       Text::say("%1 count; %2 are needed.")
                           .arg(Text::say("%n row|%n rows", "", static_cast<int>(r.ra.t.size())))
                           .arg(fewestRows),
                       Text::say("Choose a longer one."));
    auto d = rebuildDisturbance(run);
    if (!d)
        return tl::unexpected(d.error());
    r.disturbance = std::move(*d);
    r.track = trackMount(r.disturbance);
    return r;
}

// What was left of the mount's motion in this run says what would be left in the next only as far as the run
// is long: relative, of an RMS whose samples hang together.
double sampling(const ReadRun& r) {
    const JudgedFrames f = judgedFrames(r.disturbance, r.track, r.disturbance.judgedFrom());
    if (f.t_s.size() < fewestRows / 2)
        return 0.5;
    double square = 0.0;
    double spread = 0.0;
    for (const JudgedAxis* axis : {&f.ra, &f.dec}) {
        std::vector<double> rest;
        for (size_t i = 0; i < f.t_s.size(); ++i)
            rest.push_back(axis->mount[i].value + axis->load[i]);
        const double own = meanSquare(rest);
        square += own;
        spread += own * own * 2.0 / independent(rest);
    }
    return 0.5 * std::sqrt(spread) / std::max(square, 1e-12);
}

// window_s: of the stretches; 0: both runs are guided.
RunSide sideOf(const ReadRun& r, double window_s) {
    RunSide s;
    s.span_s = r.span_s();
    const Measured a = squareOf(r.ra.v);
    const Measured b = squareOf(r.dec.v);
    s.ra_arcsec = rootOfSquare(a);
    s.dec_arcsec = rootOfSquare(b);
    s.total_arcsec = rootOfSquare({a.value + b.value, std::hypot(a.sigma, b.sigma)});
    // The corrections taken out: a loop that runs after the air does not make the air worse.
    const Disturbance& d = r.disturbance;
    s.air_arcsec = quadratureSum(fastNoise(d.t_s, d.ra_arcsec), fastNoise(d.t_s, d.dec_arcsec));
    if (window_s > 0.0) {
        s.mountPart_arcsec = mountPartWithin(d, r.track, window_s);
    } else {
        s.mountPart_arcsec = recordedFigures(d, r.track).mountPart_arcsec;
        // Two runs are no one night: what the model of each leaves out differs.
        constexpr double apart = 1.2;
        s.mountPart_arcsec.sigma *= apart;
    }
    s.ra = bandsOf(r.ra);
    s.dec = bandsOf(r.dec);
    return s;
}

// Beyond chance, or surely too small to matter.
Verdict verdictOf(const Measured& ratio, double sampled) {
    const Measured relative{ratio.value, std::hypot(ratio.sigma, (1.0 + ratio.value) * sampled)};
    constexpr double certain = 2.0; // σ
    constexpr double matters = 0.1;
    if (std::abs(relative.value) > certain * relative.sigma)
        return relative.value > 0.0 ? Verdict::first : Verdict::second;
    return std::abs(relative.value) + certain * relative.sigma < 2.0 * matters ? Verdict::alike
                                                                               : Verdict::undecided;
}

Text wordsOf(const RunComparison& c) {
    const Text both = Text::say("%1 and %2")
                          .arg(formatMeasured(c.first.mountPart_arcsec, "″", 2))
                          .arg(formatMeasured(c.second.mountPart_arcsec, "″", 2));
    Text words;
    switch (c.verdict) {
    case Verdict::first:
    case Verdict::second:
        words =
            (c.verdict == Verdict::first ? Text::say("The first run leaves less of the mount's motion: %1.")
                                         : Text::say("The second run leaves less of the mount's motion: %1."))
                .arg(both);
        break;
    case Verdict::alike:
        words = Text::say("The two leave the same of the mount's motion: %1.").arg(both);
        break;
    case Verdict::undecided:
        words =
            Text::say(
                "The two cannot be told apart: they leave %1 of the mount's motion. Longer runs may tell.")
                .arg(both);
        break;
    }
    const Measured air{c.second.air_arcsec.value - c.first.air_arcsec.value,
                       std::hypot(c.first.air_arcsec.sigma, c.second.air_arcsec.sigma)};
    if (std::abs(air.value) > 2.0 * air.sigma)
        words += (air.value > 0.0 ? Text::say("The seeing was worse in the second: %1 and %2.")
                                  : Text::say("The seeing was better in the second: %1 and %2."))
                     .arg(formatMeasured(c.first.air_arcsec, "″", 2))
                     .arg(formatMeasured(c.second.air_arcsec, "″", 2));
    return words;
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

const char* verdictName(Verdict verdict) {
    switch (verdict) {
    case Verdict::first:
        return "first";
    case Verdict::second:
        return "second";
    case Verdict::alike:
        return "alike";
    case Verdict::undecided:
        break;
    }
    return "undecided";
}

Expected<RunComparison> compareRuns(const Run& first, const Run& second) {
    const auto a = readFor(first, "first");
    if (!a)
        return tl::unexpected(a.error());
    const auto b = readFor(second, "second");
    if (!b)
        return tl::unexpected(b.error());
    // Of the shorter one some stretches, of both the same length.
    constexpr double stretches = 4.5;
    constexpr double longest_s = 900.0;
    const double window_s =
        a->guided && b->guided ? 0.0 : std::min(longest_s, std::min(a->span_s(), b->span_s()) / stretches);
    RunComparison c;
    c.first = sideOf(*a, window_s);
    c.second = sideOf(*b, window_s);
    c.total_arcsec = {c.second.total_arcsec.value - c.first.total_arcsec.value,
                      std::hypot(c.first.total_arcsec.sigma, c.second.total_arcsec.sigma)};
    const Measured& x = c.first.mountPart_arcsec;
    const Measured& y = c.second.mountPart_arcsec;
    if (!(x.value > 0.0 && y.value > 0.0))
        return problem(Text::say("The mount's motion cannot be told from the seeing."),
                       Text::say("One of the runs shows none."), Text::say("Compare longer runs."));
    const double ratio = y.value / x.value;
    c.mountPart = {ratio - 1.0, ratio * std::hypot(x.sigma / x.value, y.sigma / y.value)};
    c.settings = differencesOf(first, second);
    // Stretches that are compared with each other tell by themselves how much they differ.
    c.verdict = verdictOf(c.mountPart, window_s > 0.0 ? 0.0 : std::hypot(sampling(*a), sampling(*b)));
    c.words = wordsOf(c);
    return c;
}

} // namespace nordstjerna
