// Recognises, within a few frames and whatever the cause, that an axis runs away instead of obeying: the
// star's motion from frame to frame is compared with what the pulses should have done to it. It is the
// response to pulses that is judged, not the growth of the error: a loop that lags behind a fast worm is no
// runaway.
#pragma once

#include <deque>
#include <optional>
#include <string>

#include "core/base/problem.h"
#include "core/guide/guide_geometry.h"

namespace nordstjerna {

enum class Axis { ra, dec };
enum class RunawayCause {
    reversed,     // pulses drive the star away: parity, wiring, rates of the other side
    notFollowing, // pulses do nothing: cable, clutch, backlash, a mount that ignores them
    swapped,      // pulses of one axis move the other
    tooStrong     // each correction overshoots by more than the error: rates far too small
};

struct Runaway {
    Axis axis = Axis::dec;
    RunawayCause cause = RunawayCause::reversed;
    double error_arcsec = 0.0; // where the star had got to
    int frames = 0;            // since corrections began to go wrong
};

// What happened, what it looks like, what to do.
Problem runawayProblem(const Runaway& r);

class RunawayGuard {
public:
    // `commanded`: what the pulses after the last frame should have done to the star. Noise: of one measured
    // place in one coordinate.
    std::optional<Runaway> feed(const SkyError& error, const SkyError& commanded, double dt_s,
                                double noise_arcsec);
    // After a jump, a loss, a dither or a changed aim: motions across it say nothing.
    void forget();

private:
    struct Step {
        SkyError moved, commanded;
        SkyError error; // at its end
        double dt_s;
    };
    // χ² of the motions of one axis under each explanation, and how its error went.
    struct Explained {
        double right = 0.0, obeying = 0.0, reversed = 0.0, still = 0.0, swapped = 0.0, strong = 0.0;
        double reach_arcsec = 0.0; // of the motor, between its ends
        bool growing = true, swinging = true;
    };
    Explained explain(Axis axis, double noise) const;
    std::optional<Runaway> judge(Axis axis, double noise) const;
    size_t first() const; // of the steps that are judged; those before may have been commanded for them
    std::deque<Step> steps_;
    std::optional<SkyError> last_;
};

} // namespace nordstjerna
