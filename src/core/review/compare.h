// Two runs side by side: what each left, at which periods, with which settings, and which left less of the
// mount's own motion. Guided runs are compared by what the loop left of it over the frames that count; where
// one is a free run, both by what the mount does within stretches of the same length, the drift taken out.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "core/base/problem.h"
#include "core/motion/run.h"

namespace nordstjerna {

// The bands of periods, s: shorter than 8, 8–30, 30–120, 120–600, longer.
inline constexpr std::array bandEdges_s{8.0, 30.0, 120.0, 600.0};
inline constexpr size_t bandCount = bandEdges_s.size() + 1;

struct AxisBands {
    std::array<Measured, bandCount> rms_arcsec; // a band that the run's length or pace does not reach: 0 ± 0
};

struct RunSide {
    Measured ra_arcsec, dec_arcsec, total_arcsec; // RMS about the mean
    Measured mountPart_arcsec; // of both axes: the mount's own motion, corrections included
    Measured air_arcsec;       // of both axes, from frame to frame: what no loop of this cadence could follow
    AxisBands ra, dec;
    double span_s = 0.0;
};

struct SettingDifference {
    std::string setting; // settingId()
    double first = 0.0, second = 0.0;
};

enum class Verdict {
    first, // left less of the mount's motion, beyond the ±
    second,
    alike,    // and no difference that would matter is possible
    undecided // a difference that would matter may hide in the ±
};
const char* verdictName(Verdict verdict);

struct RunComparison {
    RunSide first, second;
    Measured total_arcsec; // second less first
    Measured mountPart;    // the second's over the first's, less one
    Verdict verdict = Verdict::undecided;
    std::vector<SettingDifference> settings;
    Text words;
};

// The guided runs of a night one after the other, as one: times go on, settings are those of the first.
Run joined(const std::vector<Run>& runs);

// Fails when one of them has too few rows that count.
Expected<RunComparison> compareRuns(const Run& first, const Run& second);

} // namespace nordstjerna
