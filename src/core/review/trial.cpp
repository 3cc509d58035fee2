#include "core/review/trial.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/format.h"
#include "core/base/random.h"
#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
constexpr size_t leastLooks = 5; // in a block
constexpr size_t fewestRounds = 6;
constexpr int inRound = 4;        // blocks
constexpr int togetherFrames = 6; // frames over which squares of errors hang together
// The frames within the blocks foretell what a round scatters, but only as one round would: what the air does
// between the blocks of a round they do not see.
constexpr double foretoldRounds = 1.0;

struct Block {
    std::vector<double> squares; // in order
    double mean() const { return nordstjerna::mean(squares); }
};

// Relative variance of the mean of a block, from how its squares scatter and hang together.
double relativeVariance(const std::vector<const Block*>& blocks) {
    double variance = 0.0;
    std::vector<double> together(togetherFrames + 1, 0.0);
    double weight = 0.0;
    for (const Block* b : blocks) {
        const double m = b->mean();
        const auto n = static_cast<int>(b->squares.size());
        for (int i = 0; i < n; ++i) {
            const double a = b->squares[static_cast<size_t>(i)] / m - 1.0;
            variance += a * a;
            weight += 1.0;
            for (int lag = 1; lag <= togetherFrames && i + lag < n; ++lag)
                together[static_cast<size_t>(lag)] +=
                    a * (b->squares[static_cast<size_t>(i + lag)] / m - 1.0);
        }
    }
    if (weight <= 0.0 || variance <= 0.0)
        return 0.0;
    double longer = 1.0;
    for (int lag = 1; lag <= togetherFrames; ++lag)
        longer += 2.0 * std::max(0.0, together[static_cast<size_t>(lag)] / variance);
    return variance / weight * longer;
}
} // namespace

double loopMemory_frames(const ControllerSettings& settings) {
    constexpr double fewest = 1.0;
    const auto of = [](const AxisSettings& axis) {
        if (axis.kind != ControllerKind::proportional)
            return fewest;
        // The error falls by the gain each frame, later by as much as is smoothed.
        constexpr double leastGain = 0.05;
        const double gain = std::clamp(axis.loopGain * (1.0 - axis.smoothing), leastGain, 0.9);
        return -1.0 / std::log1p(-gain);
    };
    return std::max(of(settings.ra), settings.correctsDec() ? of(settings.dec) : fewest);
}

TrialRules trialRulesFor(double cadence_s, const ControllerSettings& first,
                         const ControllerSettings& second) {
    constexpr double goingOver = 3.0, compared = 8.0; // memories, frames
    // A loop that hardly corrects remembers for minutes: a night has no time for blocks of that length, and
    // what such a loop leaves is seen all the same.
    constexpr double longestMemory = 8.0;
    const double memory =
        std::min(std::max(loopMemory_frames(first), loopMemory_frames(second)), longestMemory);
    TrialRules rules;
    const double least_s = rules.block_s - rules.leaveOut_s;
    rules.leaveOut_s = std::max(rules.leaveOut_s, goingOver * memory * cadence_s);
    rules.block_s = rules.leaveOut_s + std::max(least_s, compared * cadence_s);
    // As many rounds as at the usual pace.
    rules.longest_s *= rules.block_s / TrialRules().block_s;
    return rules;
}

double percentMore(double logRatio) {
    return 100.0 * std::expm1(logRatio);
}

Measured TrialState::percent() const {
    return {percentMore(difference.value), 100.0 * difference.sigma * std::exp(difference.value)};
}

namespace {
// ln of the ratio of the likelihood of a mean of `shift` to that of none, the variance unknown: n rounds with
// this sum and sum of squares, and as much as `trust` rounds of variance `within`.
double tRatio(double n, double sum, double squares, double within, double shift) {
    const double none = foretoldRounds * within + squares;
    const double some = none - 2.0 * shift * sum + n * shift * shift;
    return 0.5 * (foretoldRounds + n) * std::log(none / some);
}

// Where a difference is there it need not be of exactly that size: some of what is believed beforehand goes
// to larger ones, so that a plain case is decided soon.
double anyRatio(double n, double sum, double squares, double within, double worth) {
    struct Size {
        double times, share;
    };
    constexpr Size sizes[] = {{1.0, 0.3}, {1.5, 0.3}, {2.2, 0.1}, {3.3, 0.1}, {5.0, 0.1}, {7.5, 0.1}};
    double ratio = 0.0;
    for (const Size& size : sizes)
        ratio += size.share * std::exp(tRatio(n, sum, squares, within, size.times * worth));
    return std::log(ratio);
}
} // namespace

WaldBounds waldBounds(double alpha, double beta) {
    return {std::log((1.0 - beta) / alpha), std::log(beta / (1.0 - alpha))};
}

int Trial::armAt(double t_s) const {
    const int block = blockAt(t_s);
    const auto lot =
        static_cast<int>(mixBits(rules_.seed + 0x9e37 * static_cast<std::uint64_t>(block / inRound)) & 1U);
    const int place = block % inRound; // 0 1 1 0
    return (place == 1 || place == 2 ? 1 : 0) ^ lot;
}

void Trial::add(double t_s, double dra, double ddec) {
    last_s_ = std::max(last_s_, t_s);
    const double into = t_s - rules_.block_s * blockAt(t_s);
    if (into < rules_.leaveOut_s || !std::isfinite(dra) || !std::isfinite(ddec))
        return;
    looks_.push_back({blockAt(t_s), dra, ddec});
}

TrialState Trial::state() const {
    TrialState s;
    // Each of the two tests may err by half of it.
    s.upper = std::log(2.0 / rules_.alpha);
    s.lower = waldBounds(0.5 * rules_.alpha, rules_.beta).lower;
    if (last_s_ >= rules_.longest_s) // unless it is decided with the last look
        s.verdict = TrialVerdict::undecided;
    if (looks_.empty())
        return s;
    // About the mean of the whole trial: where the star is held is not what is compared.
    std::vector<double> ra;
    std::vector<double> dec;
    for (const Look& l : looks_) {
        ra.push_back(l.ra);
        dec.push_back(l.dec);
    }
    const double meanRa = mean(ra);
    const double meanDec = mean(dec);
    std::vector<double> squares;
    for (const Look& l : looks_)
        squares.push_back(std::pow(l.ra - meanRa, 2) + std::pow(l.dec - meanDec, 2));
    // A gust or a cosmic ray must not decide: of exponentially distributed squares one in five thousand is
    // cut. Each of the two by its own, or the worse one would look better than it is.
    std::vector<double> ofArm[2];
    const auto arm = [&](const Look& l) { return armAt((l.block + 0.5) * rules_.block_s); };
    for (size_t i = 0; i < looks_.size(); ++i)
        ofArm[arm(looks_[i])].push_back(squares[i]);
    double most[2];
    for (int of = 0; of < 2; ++of)
        most[of] = ofArm[of].empty() ? 0.0 : 12.0 * median(ofArm[of]);
    std::map<int, Block> blocks;
    for (size_t i = 0; i < looks_.size(); ++i)
        blocks[looks_[i].block].squares.push_back(std::min(squares[i], most[arm(looks_[i])]));
    // The round under way is not complete yet.
    const int complete = blockAt(last_s_) / inRound;
    std::vector<const Block*> used;
    double sum[2] = {0.0, 0.0};
    for (int round = 0; round < complete; ++round) {
        double level[2] = {0.0, 0.0};
        double squaresOf[2] = {0.0, 0.0};
        std::vector<const Block*> four;
        for (int k = inRound * round; k < inRound * (round + 1); ++k) {
            const auto block = blocks.find(k);
            if (block == blocks.end() || block->second.squares.size() < leastLooks)
                break;
            const int of = armAt((k + 0.5) * rules_.block_s);
            level[of] += 0.5 * std::log(block->second.mean());
            squaresOf[of] += 0.5 * block->second.mean();
            four.push_back(&block->second);
        }
        if (static_cast<int>(four.size()) < inRound)
            continue;
        s.each.push_back(0.5 * (level[1] - level[0]));
        used.insert(used.end(), four.begin(), four.end());
        for (int of = 0; of < 2; ++of)
            sum[of] += squaresOf[of];
    }
    s.rounds = static_cast<int>(s.each.size());
    if (s.rounds == 0)
        return s;
    const double n = s.rounds;
    s.firstRms_arcsec = std::sqrt(sum[0] / n);
    s.secondRms_arcsec = std::sqrt(sum[1] / n);
    double looks = 0.0;
    for (const Block* b : used)
        looks += static_cast<double>(b->squares.size());
    // What one round scatters: by the frames within the blocks at first, then as seen from round to round.
    const double within = 0.25 * relativeVariance(used) / (looks / (inRound * n));
    double each = within;
    if (s.each.size() > 2)
        each = (foretoldRounds * within + (n - 1.0) * std::pow(standardDeviation(s.each), 2)) /
               (foretoldRounds + n - 1.0);
    s.difference = {mean(s.each), std::sqrt(each / n)};
    const double worth = std::log1p(rules_.worth);
    const double all = n * s.difference.value;
    double eachSquares = 0.0;
    for (double d : s.each)
        eachSquares += d * d;
    s.ratioPlus = anyRatio(n, all, eachSquares, within, worth);
    s.ratioMinus = anyRatio(n, -all, eachSquares, within, worth);
    s.ratioWorth = tRatio(n, std::abs(all), eachSquares, within, worth);
    if (s.each.size() >= fewestRounds) {
        if (s.ratioPlus >= s.upper)
            s.verdict = TrialVerdict::first;
        else if (s.ratioMinus >= s.upper)
            s.verdict = TrialVerdict::second;
        else if (s.ratioWorth <= s.lower)
            s.verdict = TrialVerdict::equal;
    }
    if (s.verdict != TrialVerdict::open)
        return s;
    // As it goes on like this.
    const double at = std::max(s.ratioPlus, s.ratioMinus);
    constexpr double never = 1e6; // rounds
    const double claim = at > 0.0 ? n * (s.upper - at) / at : never;
    const double none = s.ratioWorth < 0.0 ? n * (s.lower - s.ratioWorth) / s.ratioWorth : never;
    const double roundsLeft = std::min(claim, none);
    s.left_s = std::clamp(std::max(roundsLeft, static_cast<double>(fewestRounds) - n), 0.0, never) * inRound *
               rules_.block_s;
    s.left_s = std::min(*s.left_s, std::max(0.0, rules_.longest_s - last_s_));
    return s;
}

double signFlipProbability(const std::vector<double>& d) {
    if (d.empty())
        return 1.0;
    double seen = 0.0;
    for (double v : d)
        seen += v;
    seen = std::abs(seen) * (1.0 - 1e-12);
    constexpr size_t exact = 16;
    constexpr int draws = 20000;
    int as = 0;
    int all = 0;
    const auto count = [&](auto sign) {
        double sum = 0.0;
        for (size_t i = 0; i < d.size(); ++i)
            sum += sign(i) ? d[i] : -d[i];
        as += std::abs(sum) >= seen;
        ++all;
    };
    if (d.size() <= exact) {
        for (unsigned mask = 0; mask < (1U << d.size()); ++mask)
            count([mask](size_t i) { return (mask >> i & 1U) != 0; });
        return static_cast<double>(as) / all;
    }
    Random random(17);
    for (int k = 0; k < draws; ++k) {
        std::uint64_t bits = 0;
        count([&](size_t i) {
            if (i % 64 == 0)
                bits = random.bits();
            return (bits >> (i % 64) & 1U) != 0;
        });
    }
    return (as + 1.0) / (all + 1.0);
}

Text trialWords(const TrialState& s, const std::string& first, const std::string& second) {
    const Measured more = s.percent();
    const std::string by = formatMeasured({std::abs(more.value), more.sigma}, " %", 1);
    const Text leaves =
        (more.value < 0.0 ? Text::say("%1 leaves %2 less than %3.") : Text::say("%1 leaves %2 more than %3."))
            .arg(second)
            .arg(by)
            .arg(first);
    switch (s.verdict) {
    case TrialVerdict::first:
        return Text::say("%1 is better: %2").arg(first).arg(leaves);
    case TrialVerdict::second:
        return Text::say("%1 is better: %2").arg(second).arg(leaves);
    case TrialVerdict::equal:
        return Text::say("No difference worth a change: %1").arg(leaves);
    case TrialVerdict::undecided:
        return Text::say("Not decided in the time: %1").arg(leaves);
    case TrialVerdict::open:
        break;
    }
    return s.rounds == 0 ? Text::say("The first round of blocks is under way.")
                         : Text::say("So far %1").arg(leaves);
}

} // namespace nordstjerna
