// Dec backlash from a recorded test: north pulses, then as many south. The star stands still until the gap is
// taken up: a dead zone in pulse time, fitted with its uncertainty.
#pragma once

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/motion/run.h"

namespace nordstjerna {

enum class BacklashShape {
    none,
    gap,     // a constant offset: play between gears
    gradual, // the star comes along slowly: stiction, flexure
    jump     // it stays, then leaps: static friction
};
const char* backlashShapeName(BacklashShape shape);

struct BacklashResult {
    Measured dead_ms;
    Measured dead_arcsec;
    Measured rate_arcsec_s; // of the Dec axis under pulses
    BacklashShape shape = BacklashShape::none;
    // Of the return: what the star did against the ideal straight return, by pulse time.
    std::vector<double> pulsed_ms, moved_arcsec, ideal_arcsec;
};

// Fails when there are no pulses both ways, or the star did not follow them.
Expected<BacklashResult> analyseBacklash(const Run& run);

} // namespace nordstjerna
