#include "core/motion/clean_run.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/motion/axis_summary.h"
#include "core/motion/run_event_words.h"

namespace nordstjerna {

namespace {

constexpr int halfWindow = 5;
constexpr double farOut = 6.0;               // σ of the fast noise from the neighbours' median
constexpr double naturalRate_arcsec_s = 0.6; // no worm, strain wave or drift is faster
constexpr double jumpSigmas = 8.0;
constexpr int leastRows = 5; // between two jumps, to be worth a level of their own
constexpr int mostLevels = 40;

void leaveOut(std::vector<LeftOut>& list, double t_s, const Text& why) {
    if (!list.empty() && list.back().why == why && t_s >= list.back().to_s && t_s - list.back().to_s < 30.0) {
        list.back().to_s = t_s;
        ++list.back().rows;
    } else {
        list.push_back({t_s, t_s, 1, why});
    }
}

Text reasonOf(const RunRow& row) {
    if (!row.measured())
        return Text::say("no star");
    return row.events.empty() ? std::string() : eventText(RunEvents({row.events.list().front()}));
}

void erase(CleanRun& c, const std::vector<bool>& gone) {
    size_t kept = 0;
    for (size_t i = 0; i < c.t_s.size(); ++i) {
        if (gone[i])
            continue;
        c.t_s[kept] = c.t_s[i];
        c.ra_arcsec[kept] = c.ra_arcsec[i];
        c.dec_arcsec[kept] = c.dec_arcsec[i];
        if (!c.worm_turns.empty())
            c.worm_turns[kept] = c.worm_turns[i];
        if (!c.level.empty())
            c.level[kept] = c.level[i];
        ++kept;
    }
    for (auto* v : {&c.t_s, &c.ra_arcsec, &c.dec_arcsec})
        v->resize(kept);
    if (!c.worm_turns.empty())
        c.worm_turns.resize(kept);
    if (!c.level.empty())
        c.level.resize(kept);
}

double neighbourMedian(const std::vector<double>& v, size_t i) {
    const size_t from = i < halfWindow ? 0 : i - halfWindow;
    const size_t to = std::min(v.size(), i + halfWindow + 1);
    return median(
        {v.begin() + static_cast<std::ptrdiff_t>(from), v.begin() + static_cast<std::ptrdiff_t>(to)});
}

void dropExcursions(CleanRun& c, double sigmaRa, double sigmaDec) {
    std::vector<bool> gone(c.t_s.size(), false);
    for (size_t i = 0; i < c.t_s.size(); ++i)
        gone[i] = std::abs(c.ra_arcsec[i] - neighbourMedian(c.ra_arcsec, i)) > farOut * sigmaRa ||
                  std::abs(c.dec_arcsec[i] - neighbourMedian(c.dec_arcsec, i)) > farOut * sigmaDec;
    for (size_t i = 0; i < gone.size(); ++i)
        if (gone[i])
            leaveOut(c.leftOut, c.t_s[i], Text::say("excursion"));
    erase(c, gone);
}

// Whether the place before row i and from it on differ lastingly.
bool jumpsAt(const CleanRun& c, const std::vector<double>& v, size_t i, double sigma) {
    const double step = v[i] - v[i - 1];
    const double natural = naturalRate_arcsec_s * (c.t_s[i] - c.t_s[i - 1]);
    if (std::abs(step) < jumpSigmas * std::sqrt(2.0) * sigma + natural)
        return false;
    const size_t from = i < leastRows ? 0 : i - leastRows;
    const size_t to = std::min(v.size(), i + leastRows);
    const double before =
        median({v.begin() + static_cast<std::ptrdiff_t>(from), v.begin() + static_cast<std::ptrdiff_t>(i)});
    const double after =
        median({v.begin() + static_cast<std::ptrdiff_t>(i), v.begin() + static_cast<std::ptrdiff_t>(to)});
    return std::abs(after - before) > 0.6 * std::abs(step);
}

void splitAtJumps(CleanRun& c, double sigmaRa, double sigmaDec) {
    c.level.assign(c.t_s.size(), 0);
    int level = 0;
    for (size_t i = 1; i < c.t_s.size(); ++i) {
        if (jumpsAt(c, c.ra_arcsec, i, sigmaRa) || jumpsAt(c, c.dec_arcsec, i, sigmaDec)) {
            ++level;
            c.jumps_s.push_back(c.t_s[i]);
        }
        c.level[i] = level;
    }
    std::vector<int> rows(static_cast<size_t>(level) + 1, 0);
    for (int l : c.level)
        ++rows[static_cast<size_t>(l)];
    std::vector<int> sorted = rows;
    std::sort(sorted.rbegin(), sorted.rend());
    const int least =
        std::max(leastRows, static_cast<int>(sorted.size()) > mostLevels ? sorted[mostLevels] + 1 : 0);
    std::vector<bool> gone(c.t_s.size(), false);
    for (size_t i = 0; i < gone.size(); ++i)
        if (rows[static_cast<size_t>(c.level[i])] < least) {
            gone[i] = true;
            leaveOut(c.leftOut, c.t_s[i], Text::say("between jumps"));
        }
    erase(c, gone);
    // Levels that lost all their rows close up.
    c.levels = 0;
    int last = -1;
    for (int& l : c.level) {
        if (l != last) {
            last = l;
            ++c.levels;
        }
        l = c.levels - 1;
    }
    c.levels = std::max(c.levels, 1);
}

} // namespace

int CleanRun::rowsLeftOut() const {
    int n = 0;
    for (const LeftOut& l : leftOut)
        n += l.rows;
    return n;
}

CleanRun cleanRun(const Run& run) {
    CleanRun c;
    bool worm = run.meta.wormReported;
    for (const RunRow& r : run.rows) {
        if (!countsForRms(r)) {
            leaveOut(c.leftOut, r.t_s, reasonOf(r));
            continue;
        }
        c.t_s.push_back(r.t_s);
        c.ra_arcsec.push_back(r.dra_arcsec);
        c.dec_arcsec.push_back(r.ddec_arcsec);
        worm = worm && std::isfinite(r.worm_turns);
        c.worm_turns.push_back(r.worm_turns);
    }
    if (!worm)
        c.worm_turns.clear();
    // Pulses move the star on purpose: only what is left alone can jump.
    if (run.meta.kind == RunKind::free && c.t_s.size() >= 2 * leastRows) {
        const double sigmaRa = std::max(fastNoise(c.t_s, c.ra_arcsec).value, 0.02);
        const double sigmaDec = std::max(fastNoise(c.t_s, c.dec_arcsec).value, 0.02);
        dropExcursions(c, sigmaRa, sigmaDec);
        splitAtJumps(c, sigmaRa, sigmaDec);
    } else {
        c.level.assign(c.t_s.size(), 0);
    }
    std::sort(c.leftOut.begin(), c.leftOut.end(),
              [](const LeftOut& a, const LeftOut& b) { return a.from_s < b.from_s; });
    std::vector<double> gaps;
    for (size_t i = 1; i < c.t_s.size(); ++i)
        gaps.push_back(c.t_s[i] - c.t_s[i - 1]);
    c.sampling_s = medianStep(c.t_s);
    const auto other = std::count_if(gaps.begin(), gaps.end(), [&](double g) {
        return g < 0.6 * c.sampling_s || (g > 1.6 * c.sampling_s && g < 10.0 * c.sampling_s);
    });
    c.mixedSampling = other > static_cast<std::ptrdiff_t>(gaps.size() / 5);
    for (double g : gaps)
        c.longestGap_s = std::max(c.longestGap_s, g);
    return c;
}

} // namespace nordstjerna
