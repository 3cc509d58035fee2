// Two runs side by side: what each left, at which periods, with which settings, and whether the difference is
// more than the air's.
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
    Measured fast_arcsec; // of both axes: what no loop of this cadence could follow, air and light
    Measured slow_arcsec; // the rest of it
    AxisBands ra, dec;
    double span_s = 0.0;
};

struct SettingDifference {
    std::string setting; // settingId()
    double first = 0.0, second = 0.0;
};

enum class Difference { none, first, second }; // which left less, beyond the air and its ±

struct RunComparison {
    RunSide first, second;
    Measured total_arcsec; // second less first
    Measured slow_arcsec;  // the same of what is not air
    Difference verdict = Difference::none;
    std::vector<SettingDifference> settings;
    std::string words;
};

// The guided runs of a night one after the other, as one: times go on, settings are those of the first.
Run joined(const std::vector<Run>& runs);

// Fails when one of them has too few rows that count.
Expected<RunComparison> compareRuns(const Run& first, const Run& second);

} // namespace nordstjerna
