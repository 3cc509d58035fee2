// A trial on the sky: two sets of settings take turns while guiding goes on, in rounds of four blocks (first,
// second, second, first, or the other way, by lot), and their errors are compared round by round: air that
// grows better or worse meanwhile meets both alike. Decided by
// a sequential test of three outcomes: two probability ratio tests side by side (Sobel & Wald 1949, Ann.
// Math. Stat. 20; bounds by Wald 1945, Ann. Math. Stat. 16). How much a round scatters is not known but seen
// in the rounds themselves, so the ratios are those of a sequential t test (Rushton 1950, Biometrika 37): air
// that differs from block to block makes a trial longer, not wrong. All from memory.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/base/text.h"
#include "core/guide/controller.h"

namespace nordstjerna {

struct TrialRules {
    double block_s = 30.0;
    double leaveOut_s = 6.0; // of each block: the loop goes over from one to the other
    double worth = 0.15;     // relative difference of the RMS that is worth finding
    double alpha = 0.05;     // a difference is claimed where there is none
    double beta = 0.05;      // one as large as that is overlooked
    double longest_s = 3600.0;
    std::uint64_t seed = 1;
};

// How long a loop with these settings remembers the error it had before, frames.
double loopMemory_frames(const ControllerSettings& settings);
// Blocks long enough for a loop of this pace: the slower of the two has gone over, then there are some frames
// to be compared.
TrialRules trialRulesFor(double cadence_s, const ControllerSettings& first, const ControllerSettings& second);

enum class TrialVerdict {
    open,     // goes on
    first,    // leaves less
    second,   // leaves less
    equal,    // no difference of that size
    undecided // the time ran out
};

// What a log ratio of two RMS is in per cent more (or less).
double percentMore(double logRatio);

struct TrialState {
    TrialVerdict verdict = TrialVerdict::open;
    int rounds = 0;
    Measured difference; // ln(RMS of the second / RMS of the first): negative where the second is better
    double firstRms_arcsec = 0.0, secondRms_arcsec = 0.0;
    std::vector<double> each;     // the difference of every round
    std::optional<double> left_s; // until decided, as it looks now
    Measured percent() const;     // the difference as what the second leaves more
    // Log probability ratios against no difference: the second leaves more, or less, by what is worth finding
    // or somewhat beyond; and the larger of the two for exactly that.
    double ratioPlus = 0.0, ratioMinus = 0.0, ratioWorth = 0.0;
    double upper = 0.0, lower = 0.0; // bounds: of the first two, of the last
};

class Trial {
public:
    explicit Trial(const TrialRules& rules) : rules_(rules) {}
    const TrialRules& rules() const { return rules_; }
    // Which is at work so long after the beginning: 0 or 1.
    int armAt(double t_s) const;
    int blockAt(double t_s) const { return static_cast<int>(t_s / rules_.block_s); }
    // A look of the guide camera, ″; only those that count for the RMS.
    void add(double t_s, double dra_arcsec, double ddec_arcsec);
    TrialState state() const;
    double length_s() const { return last_s_; }

private:
    struct Look {
        int block;
        double ra, dec;
    };
    TrialRules rules_;
    std::vector<Look> looks_;
    double last_s_ = 0.0;
};

// The bounds of Wald's test for the log of the probability ratio: above `upper` the second hypothesis is
// taken, below `lower` the first.
struct WaldBounds {
    double upper, lower;
};
WaldBounds waldBounds(double alpha, double beta);

// Two-sided probability that rounds without a difference show a mean at least as far from 0: every sign may
// as well be the other (exact up to 16, else 20 000 seeded draws).
double signFlipProbability(const std::vector<double>& differences);

// In words: "B leaves 14 ± 3 % less: use it."
Text trialWords(const TrialState& state, const std::string& first, const std::string& second);

} // namespace nordstjerna
