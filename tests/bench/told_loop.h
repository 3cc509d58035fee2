// A loop that was told all of its world: how the axis moves, what air there is, how late pulses come. What it
// leaves is what any linear loop can be held against.
#pragma once

#include <vector>

#include "core/guide/axis_filter.h"
#include "late_world.h"

namespace nordstjerna {

// One axis. A Kalman filter with the noises of the world foretells the coming frames; the pulses are those
// that leave the least squares over all of them, as late as they come (linear-quadratic control with a
// receding horizon; e.g. Åström and Wittenmark, Computer-Controlled Systems, 3rd ed. 1997, ch. 11).
class ToldAxis {
public:
    ToldAxis(const LateWorld& world, bool worm);
    // The pulse, in ″ of the star, after a frame with this error that began then; sent: the one before it.
    double answer(double start_s, double error_arcsec, double sent_arcsec);

private:
    struct Pulse {
        double from_s, motion_arcsec;
    };
    double inFrame(double start_s) const; // of all pulses

    LateWorld world_;
    AxisFilter filter_;
    std::vector<double> gains_; // of the first pulse on what is foretold for the coming frames
    std::vector<Pulse> pulses_;
    double whole_ = 0.0; // of pulses that are long over
    double last_s_ = -1.0;
};

// Both axes in that world, but without play and lost pulses: these only ever add.
LateRun guideTold(const LateWorld& world, double minutes);

} // namespace nordstjerna
