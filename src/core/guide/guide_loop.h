// The guide loop as a value: what it is told about each frame, and what it answers. Guiding feeds it frames.
#pragma once

#include <optional>

#include "core/guide/controller.h"
#include "core/guide/guide_geometry.h"
#include "core/guide/runaway_guard.h"

namespace nordstjerna {

enum class LoopState {
    acquiring,   // nothing measured yet
    settling,    // the error is not small yet
    steady,      // it has been small for long enough
    unsettled,   // it has not become small in time; guiding goes on
    lost,        // no star
    runningAway, // an axis was stopped
};

struct SettleRule {
    double within_arcsec = 2.5;
    double for_s = 10.0;
    double timeout_s = 60.0;
};

struct LoopSettings {
    ControllerSettings controller;
    SettleRule settle;
};

struct LoopInput {
    double t_s = 0.0; // middle of the exposure
    SkyError error;
    double noise_arcsec = 0.3; // of one coordinate, light and camera
    double untilNext_s = 2.0;  // to the next exposure: no pulse may last longer
    PulsePair sent;            // what the mount really took after the last frame
};

struct LoopOutput {
    PulsePair pulse;
    LoopState state = LoopState::acquiring;
    std::optional<Runaway> runaway; // in the frame in which it was recognised
};

class GuideLoop {
public:
    GuideLoop(const Rates& rates, Angle dec, const LoopSettings& settings);

    LoopOutput step(const LoopInput& in);
    // A frame without a star: no corrections on garbage, and nothing of before counts afterwards.
    void lost();
    void setController(const ControllerSettings& settings);

    const GuideGeometry& geometry() const { return geometry_; }
    LoopState state() const { return state_; }
    bool stopped(Axis axis) const { return axis == Axis::ra ? raStopped_ : decStopped_; }

private:
    PulsePair decide(const SkyError& error, double longest_ms);
    void settle(const SkyError& error, double t_s);

    GuideGeometry geometry_;
    LoopSettings settings_;
    ProportionalController ra_, dec_;
    RunawayGuard guard_;
    LoopState state_ = LoopState::acquiring;
    std::optional<double> settlingSince_s_;
    std::optional<double> smallSince_s_;
    std::optional<double> last_s_;
    double fast_ = 0.0; // running mean square of what changes from frame to frame
    std::optional<SkyError> lastError_;
    bool raStopped_ = false;
    bool decStopped_ = false;
};

const char* loopStateWord(LoopState state); // for the events of a run

} // namespace nordstjerna
