// Drift, scatter and noise of one axis of a run.
#pragma once

#include <span>
#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/motion/run.h"

namespace nordstjerna {

struct AxisSummary {
    Measured drift_arcsec_min;
    double rms_arcsec = 0.0; // about the mean
    Measured offset_arcsec;  // that mean: where the star stands beside the aim point
    Measured noise_arcsec;   // per sample, the part faster than a loop can follow
};

struct RunSummary {
    AxisSummary ra;
    AxisSummary dec;
    double totalRms_arcsec = 0.0;
    int rowsUsed = 0;
    int rowsLeftOut = 0; // settling, dithers, lost star
    double span_s = 0.0; // of the rows used
    double lag1Ra = 0.0; // autocorrelation at one frame
    double lag1Dec = 0.0;
};

// Sizes of the fast part at each sample: second differences of evenly spaced neighbours over √6, so that
// white noise of σ gives a half-normal of σ.
std::vector<double> fastParts(std::span<const double> t_s, std::span<const double> value);

// Standard deviation per sample of the fast part, from second differences of evenly spaced neighbours
// (variance 6σ² for white noise): drift drops out, and periodic error to (2π Δt / P)² of itself.
Measured fastNoise(std::span<const double> t_s, std::span<const double> value);

// Fails with fewer than 10 usable rows.
Expected<RunSummary> summarise(const Run& run);

// RMS about the mean over the rows of the last `window_s` seconds that count; nothing with fewer than 5.
struct LiveRms {
    double ra_arcsec = 0.0;
    double dec_arcsec = 0.0;
    double total_arcsec = 0.0;
    double offsetRa_arcsec = 0.0; // of the mean from the aim point, which the RMS does not count
    double offsetDec_arcsec = 0.0;
    double sigma_arcsec = 0.0; // of the total, from the number of independent samples
    int rows = 0;
};
std::optional<LiveRms> liveRms(const std::vector<RunRow>& rows, double window_s);

} // namespace nordstjerna
