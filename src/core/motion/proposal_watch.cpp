#include "core/motion/proposal_watch.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/motion/other_exposure.h"

namespace nordstjerna {

namespace {
constexpr double goingOver_s = 60.0; // after the change neither is at work undisturbed
constexpr double stretch_s = 60.0;   // errors of longer ago than that say nothing about each other
constexpr size_t fewestStretches = 5;
// How well the replay of one loop foretells what that loop leaves, where nothing of before tells it:
// relative.
constexpr double replayTrust = 0.05;

double squaredWay(const SkyError& e) {
    return e.dra_arcsec * e.dra_arcsec + e.ddec_arcsec * e.ddec_arcsec;
}

// Mean squares of what was recorded and of what was replayed, stretch by stretch.
struct Stretches {
    std::vector<double> recorded, replayed;
    // Of ln(recorded / replayed) of the RMS; ± by how the stretches differ.
    Measured ratio() const {
        std::vector<double> each;
        for (size_t i = 0; i < recorded.size(); ++i)
            each.push_back(0.5 * std::log(recorded[i] / replayed[i]));
        const double n = static_cast<double>(each.size());
        return {mean(each), standardDeviation(each) / std::sqrt(n)};
    }
};

Stretches stretchesOf(const Disturbance& d, const std::vector<SkyError>& replayed, double from_s,
                      double to_s) {
    Stretches all;
    double recorded = 0.0;
    double again = 0.0;
    int looks = 0;
    double until = from_s + stretch_s;
    const auto close = [&] {
        constexpr int fewestLooks = 5;
        if (looks >= fewestLooks) {
            all.recorded.push_back(recorded / looks);
            all.replayed.push_back(again / looks);
        }
        recorded = again = 0.0;
        looks = 0;
    };
    for (size_t i = 0; i < replayed.size(); ++i) {
        if (d.t_s[i] < from_s || d.t_s[i] > to_s)
            continue;
        while (d.t_s[i] >= until) {
            close();
            until += stretch_s;
        }
        if (!d.counts[i])
            continue;
        recorded += squaredWay(d.recorded[i]);
        again += squaredWay(replayed[i]);
        ++looks;
    }
    close();
    return all;
}

Measured rmsOfSquares(const std::vector<double>& squares) {
    const double rms = std::sqrt(mean(squares));
    const double sigma = standardDeviation(squares) / std::sqrt(static_cast<double>(squares.size()));
    return {rms, 0.5 * sigma / std::max(rms, 1e-9)};
}

ProposalVerdict verdictOn(const Measured& more) {
    // Looked at several times: more is asked than of a single look.
    constexpr double beyondChance = 2.8;
    constexpr double noticeable = 0.02;
    if (std::abs(more.value) < std::max(noticeable, beyondChance * more.sigma))
        return ProposalVerdict::alike;
    return more.value > 0.0 ? ProposalVerdict::worse : ProposalVerdict::better;
}

// The farther two loops are apart, the less a replay knows what the other one would have met.
constexpr double doubtOfDifference = 0.15;
} // namespace

Expected<WatchedProposal> watchProposal(const Run& run, double since_s, const ControllerSettings& former) {
    auto d = rebuildDisturbance(run);
    if (!d)
        return tl::unexpected(d.error());
    // As it was guided until then, and on with the former settings.
    const auto change =
        static_cast<size_t>(std::lower_bound(d->t_s.begin(), d->t_s.end(), since_s) - d->t_s.begin());
    std::erase_if(d->asGuided, [&](const Disturbance::SetFrom& s) { return s.frame > change; });
    d->asGuided.push_back({change, former});
    const std::vector<SkyError> replayed = replayAsGuided(*d);

    WatchedProposal w;
    w.minutes = (d->t_s.back() - since_s) / 60.0;
    const Stretches after = stretchesOf(*d, replayed, since_s + goingOver_s, d->t_s.back());
    if (after.recorded.size() < fewestStretches)
        return w;
    w.achieved_arcsec = rmsOfSquares(after.recorded);
    w.former_arcsec = rmsOfSquares(after.replayed);
    // Before, both are of the same settings: whatever they differ by is the replay's.
    const double learnt_s = d->t_s[std::min(d->judgedFrom(), d->t_s.size() - 1)];
    const Stretches before = stretchesOf(*d, replayed, std::min(learnt_s, 0.5 * since_s), since_s);
    Measured off{0.0, replayTrust};
    if (before.recorded.size() >= fewestStretches)
        off = before.ratio();
    const Measured ratio = after.ratio();
    const double more = ratio.value - off.value;
    w.more = {more, std::hypot(ratio.sigma, off.sigma, doubtOfDifference * more)};
    w.former_arcsec = {w.former_arcsec.value * std::exp(off.value),
                       std::hypot(w.former_arcsec.sigma, w.former_arcsec.value * off.sigma)};
    w.verdict = verdictOn(w.more);
    return w;
}

Expected<WatchedProposal> watchOtherExposure(const Run& run, double since_s, const ControllerSettings& former,
                                             double formerExposure_s, double exposure_s) {
    Run after;
    after.meta = run.meta;
    for (const RunRow& row : run.rows)
        if (row.t_s >= since_s + goingOver_s)
            after.rows.push_back(row);
    if (after.meta.loop)
        after.meta.loop->exposure_s = exposure_s;
    WatchedProposal w;
    w.minutes = run.rows.empty() ? 0.0 : (run.rows.back().t_s - since_s) / 60.0;
    const auto d = rebuildDisturbance(after);
    if (!d)
        return tl::unexpected(d.error());
    if (d->span_s() < static_cast<double>(fewestStretches) * stretch_s)
        return w;
    const MountTrack track = trackMount(*d);
    w.achieved_arcsec = recordedFigures(*d, track).mountPart_arcsec;
    // Each made night is one of those that the record leaves open.
    constexpr std::uint64_t nights = 6;
    std::vector<double> squares;
    double sigma = 0.0;
    for (std::uint64_t seed = 1; seed <= nights; ++seed) {
        const OtherExposure other = withExposure(*d, track, formerExposure_s, seed);
        if (other.disturbance.t_s.size() < 30)
            return w;
        const LoopFigures left = figuresOf(other.disturbance, other.track,
                                           replayLoop(other.disturbance, {former, d->settings.settle}));
        squares.push_back(left.mountPart_arcsec.value * left.mountPart_arcsec.value);
        sigma = std::max(sigma, left.mountPart_arcsec.sigma);
        if (!other.made) // taken together: there is but one
            break;
    }
    const double left = std::sqrt(mean(squares));
    const double scatter = squares.size() > 1 ? 0.5 * standardDeviation(squares) / left : 0.0;
    w.former_arcsec = {left, std::hypot(sigma, scatter)};
    if (!(w.achieved_arcsec.value > 0.0) || !(left > 0.0))
        return w;
    // How well a made night foretells what a loop leaves of the true one: relative.
    constexpr double madeTrust = 0.10;
    const double more = std::log(w.achieved_arcsec.value / left);
    w.more = {more, std::hypot(std::hypot(w.achieved_arcsec.sigma / w.achieved_arcsec.value,
                                          w.former_arcsec.sigma / left),
                               madeTrust, doubtOfDifference * more)};
    w.verdict = verdictOn(w.more);
    return w;
}

} // namespace nordstjerna
