// The guide loop run again: on a recorded run as it was, or on the disturbance rebuilt from it with other
// settings. The same object as at the mount, so that what a replay promises is what the loop does.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/guide/settings_book.h"
#include "core/motion/run.h"

namespace nordstjerna {

// What the loop is told about a row, given the pulses really sent after the row before.
LoopInput loopInput(const RunRow& row, const PulsePair& sentBefore, double exposure_s);

// The pulses that the loop gives on the recorded frames with the recorded settings, one pair a row: the
// recorded ones, unless the table was changed. Fails when the header does not say how the loop was set up.
Expected<std::vector<PulsePair>> pulsesAgain(const Run& run);

// How the pulses of a run showed in its frames, where not at once and as calibrated.
struct LateMotion {
    double raGain = 1.0, decGain = 1.0; // of what the calibration says
    Measured delay_s;                   // nought where none is clear

    bool plain() const { return raGain == 1.0 && decGain == 1.0 && delay_s.value == 0.0; }
};

// What the mount and the air did by themselves: places of the star with all corrections taken out.
struct Disturbance {
    std::vector<double> t_s, ra_arcsec, dec_arcsec, centroid_arcsec;
    std::vector<double> worm_turns; // NaN where not told
    std::vector<size_t> row;        // of the run
    std::vector<SkyError> recorded; // as it was guided, against the aim of that moment
    std::vector<bool> counts;       // steady, not on the way to a new aim
    double exposure_s = 2.0;
    GuideGeometry geometry{std::array<double, 4>{}, 0.0, 0.0};
    LoopPriors priors;        // with what this run taught: the worm's period, the gap
    Measured backlash_arcsec; // of Dec; value 0 and a large ± where nothing is known
    AxisBelief ra, dec;       // at the end
    LateMotion late;
    FilterModel raModel, decModel; // that foretold best
    LoopSettings settings;         // as recorded at the end, or the standard ones
    struct SetFrom {
        size_t frame;
        ControllerSettings controller;
    };
    std::vector<SetFrom> asGuided; // what was in use from which frame on, the first from frame 0

    double span_s() const { return t_s.empty() ? 0.0 : t_s.back() - t_s.front(); }
    // Frames from this one on are judged: before, a loop that starts from cold is still learning.
    size_t judgedFrom() const;
    // Where the worm stood in each frame, turns: as the mount tells, else by the time.
    std::vector<double> wormPhases() const;
    // The same, or none where no period is known.
    std::vector<double> knownWormPhases() const;
    // The mount told where its worm stands, and that cannot be.
    bool wormToldNonsense() const;
};

// Fails with fewer than 30 measured rows. gap: of a backlash test, if there was one.
Expected<Disturbance> rebuildDisturbance(const Run& run, const std::optional<Measured>& gap = {});

// What a run taught of the mount, for the next run to begin with: the worm by the phase the mount tells, as
// it is at declination 0, and the gap of Dec where the run had to cross it.
LoopPriors taughtBy(const Run& run);

// The error in each frame, were the loop at work. stop: asked now and then; when true, the replay ends early
// with fewer frames.
std::vector<SkyError> replayLoop(const Disturbance& d, const LoopSettings& settings,
                                 const std::function<bool()>& stop = {});
// The same with the settings that were in use, each from when it was changed.
std::vector<SkyError> replayAsGuided(const Disturbance& d);

} // namespace nordstjerna
