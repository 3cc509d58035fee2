// The figures that an entry of the night log keeps, from what was measured.
#pragma once

#include "core/calibration/calibration.h"
#include "core/findings/run_story.h"
#include "core/findings/series_findings.h"
#include "core/motion/correction_curve.h"
#include "core/pole/pole_error.h"
#include "core/procedure/focus_run.h"
#include "core/review/entry.h"

namespace nordstjerna {

std::vector<Figure> figuresOfRun(const Run& run, const RunStory& story);
std::vector<Figure> figuresOfCalibration(const Calibration& calibration);
std::vector<Figure> figuresOfPole(const PoleError& error);
std::vector<Figure> figuresOfFocus(const FocusResult& focus);
std::vector<Figure> figuresOfCurve(const CorrectionCurve& curve);
// Back from the figures of a pole measurement; absent for other entries, and where it showed one component
// only. How the two hang together is not kept.
std::optional<PoleError> poleErrorFrom(const LogEntry& entry);
std::vector<Figure> figuresOfSeries(const std::vector<SeriesFrame>& frames, const SeriesStory& story,
                                    double imageScale_arcsec_px);

// Figures and findings of a run; where it is too short to judge, the number of its rows.
void fillFromRun(LogEntry& entry, const Run& run, const RunSurroundings& around = {});

EntryKind entryKindOf(RunKind kind);
// The changes of settings that stand in the rows of a run.
std::vector<SettingNote> changesIn(const Run& run);

} // namespace nordstjerna
