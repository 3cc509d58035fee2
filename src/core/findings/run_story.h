// All that one recorded run has to tell: analysis and ranked findings, the same for window, reports and
// command line.
#pragma once

#include "core/findings/motion_findings.h"
#include "core/motion/guided_budget.h"

namespace nordstjerna {

struct RunStory {
    MotionAnalysis motion;
    std::optional<BacklashResult> backlash; // of a backlash test
    std::optional<Tune> tune;               // when the run is long enough for it
    std::optional<GuidedBudget> guided;     // of a guided run
    double replayedFrom_s = 0.0; // tune and guided are of the rows from here on: all but in a very long run
    std::vector<Finding> findings;
};

// What is known beside the run itself; all may be missing.
struct RunSurroundings {
    std::vector<double> shaftTurns;
    std::optional<Site> site;
    std::optional<AxisFit> axis;
    double wormPeriod_s = 0.0;                // 0: not known
    const SettingsBook* settings = nullptr;   // in use; absent: those of the run, or the defaults
    const BacklashResult* backlash = nullptr; // of a test on the same mount
};

// Fails when there is too little to judge; a backlash test also when it is not complete.
Expected<RunStory> tellRun(const Run& run, const RunSurroundings& around = {});

// The findings alone, when what surrounds the run has changed.
std::vector<Finding> findingsOf(const Run& run, const RunStory& story, const RunSurroundings& around);

} // namespace nordstjerna
