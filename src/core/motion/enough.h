// How much longer a free run must last until each wanted figure is good.
#pragma once

#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/motion/motion_analysis.h"

namespace nordstjerna {

struct WantedFigure {
    Text name;           // "Dec drift"
    Text state;          // "± 0.08 ″/min (want 0.05)"
    double left_s = 0.0; // 0: good enough; negative: cannot be told yet
};

// Errors of a slope and of a period fall with time^1.5, of an amplitude with time^0.5.
std::vector<WantedFigure> wantedFigures(const MotionAnalysis& analysis);

} // namespace nordstjerna
