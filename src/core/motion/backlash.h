// Dec backlash from a recorded test: north pulses, then as many south, and so on. After each turn the star
// stands still until the gap is taken up: a dead zone in pulse time, fitted with its uncertainty.
#pragma once

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/motion/run.h"

namespace nordstjerna {

enum class BacklashShape {
    none,
    gap,     // a constant offset: backlash between gears
    gradual, // the star comes along slowly: stiction, flexure
    jump     // it stays, then leaps: static friction
};
const char* backlashShapeName(BacklashShape shape);

// One change of direction.
struct BacklashReturn {
    bool south = true;    // the way it went after the change
    bool atLeast = false; // the star hardly followed before the pulses ended: the gap is no smaller than this
    Measured deadTime_ms;
    Measured deadAngle_arcsec;
    Measured rate_arcsec_s; // of the Dec axis under pulses
    BacklashShape shape = BacklashShape::none;
    // What the star did against the ideal straight return, by pulse time since the change.
    std::vector<double> pulsed_ms, moved_arcsec, ideal_arcsec;
};

struct BacklashResult {
    Measured deadTime_ms; // of all returns together
    Measured deadAngle_arcsec;
    Measured rate_arcsec_s;
    BacklashShape shape = BacklashShape::none; // of most of them
    bool atLeast = false;                      // of one of the returns
    std::vector<BacklashReturn> returns;
    // By how many σ of their difference the returns disagree at most; 0 with one return.
    double disagreement_sigma = 0.0;
    bool consistent() const { return disagreement_sigma < 3.5; }
};

// Fails when there are no pulses both ways, or the star did not follow them.
Expected<BacklashResult> analyseBacklash(const Run& run);

} // namespace nordstjerna
