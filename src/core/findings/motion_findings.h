// What a run without corrections, or a backlash test, tells about the mount.
#pragma once

#include "core/findings/finding.h"
#include "core/motion/axis_summary.h"
#include "core/motion/backlash.h"
#include "core/motion/periodic.h"

namespace nordstjerna {

// imageScale_arcsec_px: 0 when not known; then nothing is judged in imaging pixels.
std::vector<Finding> periodicFindings(const PeriodicResult& ra, double span_s, double wormPeriod_s,
                                      double imageScale_arcsec_px);
std::vector<Finding> backlashFindings(const BacklashResult& backlash);
// Deadband from the noise the loop cannot follow, and the exposure that the periodic error allows.
std::vector<Finding> settingsFindings(const RunSummary& summary, const std::optional<WormError>& worm);

} // namespace nordstjerna
