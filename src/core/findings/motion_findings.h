// What a run without corrections, or a backlash test, tells about the mount.
#pragma once

#include "core/base/text.h"
#include "core/findings/backlash_weight.h"
#include "core/findings/finding.h"
#include "core/motion/backlash.h"
#include "core/motion/motion_analysis.h"
#include "core/motion/tune.h"
#include "core/pole/drift_meaning.h"

namespace nordstjerna {

// imageScale_arcsec_px: 0 when not known; then nothing is judged in imaging pixels. shaftTurns: of the RA
// gears, for one turn of the worm. corrected: pulses were given meanwhile, so that it is what they left.
std::vector<Finding> periodicFindings(const PeriodicResult& ra, double span_s, double wormPeriod_s,
                                      double imageScale_arcsec_px, const std::vector<double>& shaftTurns = {},
                                      bool corrected = false);
// Likely origin of a period by the gears that the rig states; empty when none fits.
Text originOf(const PeriodicLine& line, double wormPeriod_s, const std::vector<double>& shaftTurns);

std::vector<Finding> backlashFindings(const BacklashResult& backlash, const CorrectionReach& reach = {});
// meaning: absent when time and place of the run are not known.
std::vector<Finding> driftFindings(const MotionAnalysis& analysis,
                                   const std::optional<DriftMeaning>& meaning);
// The weight went past the point of balance.
Finding flankFinding(const FlankChange& flank);
// What was left out, and what that means.
std::vector<Finding> recordingFindings(const CleanRun& clean);
// Each change with an action that uses it; one that says so when there is nothing to gain, or when all of
// it is in use by now.
std::vector<Finding> settingsFindings(const Tune& tune, const SettingsBook* inUse);

} // namespace nordstjerna
