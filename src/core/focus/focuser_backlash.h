// The backlash of a focuser: steps that are lost when it turns round.
#pragma once

#include <optional>
#include <vector>

#include "core/focus/focus_curve.h"
#include "core/rig/rig.h"

namespace nordstjerna {

// How far to go past a place so that the backlash is surely taken up on the way back: what was measured and
// four standard deviations; as much as any focuser has where nothing was.
double takeUp_steps(const FocuserSpec& focuser);

// Frames taken while moving inwards from a place that was reached by moving outwards. The camera stays there
// until the backlash is used up, and is then ahead of the focuser's count by it; how far, the size of its
// stars tells on the curve measured before.
struct InwardFrame {
    double from = 0.0; // where the inward moves began
    double steps = 0.0;
    Measured hfd_px;
};

struct FocuserBacklash {
    Measured steps;
    bool certain = false; // one value only agrees with the frames, and the camera has moved
    bool unmoved = false; // the backlash may be as large as all moves so far
};

// Between `low` and `high` the curve was measured; beyond, its size is
// trusted to an eighth only. Absent without frames.
std::optional<FocuserBacklash> estimateFocuserBacklash(const FocusCurve& curve, double low, double high,
                                                       const std::vector<InwardFrame>& frames);

} // namespace nordstjerna
