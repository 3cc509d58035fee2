// The guide loop as a value: what it is told about each frame, and what it answers. Guiding feeds it frames.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "core/guide/aim_path.h"
#include "core/guide/controller.h"
#include "core/guide/guide_geometry.h"
#include "core/guide/model_controller.h"
#include "core/guide/response_meter.h"
#include "core/guide/runaway_guard.h"

namespace nordstjerna {

enum class LoopState {
    acquiring,   // nothing measured yet
    settling,    // the error is not small yet
    steady,      // it has been small for long enough
    dithering,   // the aim was moved: settling again
    unsettled,   // it has not become small in time; guiding goes on
    lost,        // no star
    runningAway, // an axis was stopped
};

struct SettleRule {
    double within_arcsec = 0.0; // 0: two and a half times the loop's own RMS
    double for_s = 10.0;
    double timeout_s = 60.0;
};

struct LoopSettings {
    ControllerSettings controller;
    SettleRule settle;
};

// What is known of the axes beforehand.
struct LoopPriors {
    AxisPrior ra, dec;
};

struct LoopInput {
    double t_s = 0.0;                 // middle of the exposure
    std::optional<SkyError> error;    // against the present aim; absent: no star
    double noise_arcsec = 0.3;        // of one coordinate, light and camera
    double untilNext_s = 2.0;         // to the next exposure: no pulse may last longer
    PulsePair sent;                   // what the mount really took after the last frame
    std::optional<double> worm_turns; // as the mount tells
};

struct LoopOutput {
    PulsePair pulse;
    LoopState state = LoopState::acquiring;
    std::optional<Runaway> runaway; // in the frame in which it was recognised
};

class GuideLoop {
public:
    GuideLoop(const GuideGeometry& geometry, const LoopSettings& settings, const LoopPriors& priors = {});
    // The model need not look on where nobody asks what it believes: a replay of other controllers is much
    // quicker so.
    void letModelsRest() { ra_.looksOn = dec_.looksOn = false; }

    // A frame without a star: no corrections on garbage; a controller that knows the mount goes on with what
    // it knows for a while.
    LoopOutput step(const LoopInput& in);
    void setController(const ControllerSettings& settings);
    // From now on the star is wanted elsewhere, and errors are told against the new aim. The way there is
    // gone in steps as large as the pulse limit lets them be; the model is not disturbed.
    void moveAim(const SkyError& by, const SettleRule& settle);

    // From the last frame on the star is wanted farther on all the time; it is not settled anew. The way is
    // gone ahead of the error, so the star does not lag behind.
    void setAimRate(const SkyError& arcsec_s) { aim_.setRate(arcsec_s); }
    // Against where the star was chosen; not before the last frame.
    SkyError aimAt(double t_s) const { return aim_.at(t_s); }

    const GuideGeometry& geometry() const { return geometry_; }
    // Below this the error counts as small, ″.
    double settleLimit_arcsec() const;
    // What of an error settling waits for, ″: RA alone where Dec is not corrected.
    double offThatCounts_arcsec(const SkyError& error) const;
    LoopState state() const { return state_; }
    // What the model believes of an axis, in charge or looking on.
    const AxisBelief& belief(Axis axis) const {
        return axis == Axis::ra ? ra_.model.belief() : dec_.model.belief();
    }
    // The filter that foretold the axis best.
    const AxisFilter& ruling(Axis axis) const {
        return axis == Axis::ra ? ra_.model.ruling() : dec_.model.ruling();
    }
    // How the axis answers its pulses. Of an axis with backlash the gain is not measured, and the delay is
    // that of the other: it comes from link and camera.
    Response response(Axis axis) const;
    // What of it the loop reckons with: gain 1 and no delay until the contrary is clear.
    double gainUsed(Axis axis) const { return gainOf(axis == Axis::ra ? ra_ : dec_); }
    Measured delayUsed_s(Axis axis) const {
        const double used = delayOf(axis == Axis::ra ? ra_ : dec_);
        return {used, used > 0.0 ? response(axis).delay_s.sigma : 0.0};
    }
    bool stopped(Axis axis) const { return axis == Axis::ra ? raStopped_ : decStopped_; }

private:
    // One axis: the controller in charge, and the model looking on whoever that is, so that what is believed
    // of the mount never has to be learnt anew.
    struct AxisLoop {
        AxisLoop(const AxisSettings& settings, const AxisPrior& prior);
        AxisLoop(const AxisLoop&) = delete; // controllers refer to the model
        AxisLoop& operator=(const AxisLoop&) = delete;
        double correction(const AxisInput& in);
        void set(const AxisSettings& settings);
        ControllerKind kind;
        bool looksOn = true;
        ModelController model;
        ResponseMeter response;
        bool mayHaveBacklash = false;
        // The pause after a correction.
        double pause_s = 0.0;
        std::optional<double> corrected_s; // the frame after which the last one was sent
        // Frames that were exposed in the pause are only looked at.
        bool pausing(double t_s, double exposure_s) const {
            constexpr double most = 0.75; // of the frame lies in it
            return pause_s > 0.0 && corrected_s && t_s - *corrected_s < pause_s + most * exposure_s;
        }
        std::vector<std::pair<ControllerKind, std::unique_ptr<Controller>>> all;
    };
    // Nothing for an axis that is left alone after its last correction, unless the aim was moved.
    PulsePair heedPauses(PulsePair pulse, const LoopInput& in);
    PulsePair limited(PulsePair pulse, double longest_ms) const;
    LoopOutput withoutStar(const LoopInput& in);
    SkyError wished(const LoopInput& in, double noise_arcsec);
    // What the pulses since the last frame should have shown in this one, as the axes answer.
    SkyError shown(const LoopInput& in);
    double gainOf(const AxisLoop& axis) const { return axis.mayHaveBacklash ? 1.0 : axis.response.gain(); }
    double delayOf(const AxisLoop& axis) const {
        return (axis.mayHaveBacklash ? ra_.response : axis.response).delay_s();
    }
    void settle(const SkyError& error, double t_s);
    void payOff(const PulsePair& pulse);

    GuideGeometry geometry_;
    LoopSettings settings_;
    AxisLoop ra_, dec_;
    RunawayGuard guard_;
    LoopState state_ = LoopState::acquiring;
    std::optional<double> settlingSince_s_;
    std::optional<double> smallSince_s_;
    std::optional<double> last_s_;
    double overhead_s_ = 0.0; // from the middle of one exposure to the next, besides the pulse
    double exposure_s_ = 0.0; // that this was found with
    double lostSince_s_ = 0.0;
    double fast_ = 0.0;          // running mean square of what changes from frame to frame, of one coordinate
    double settledSquare_ = 0.0; // running mean square of the error while settled, both axes
    double noise_arcsec_ = 0.3;  // as last told
    std::optional<SkyError> lastError_;
    AimPath aim_;
    SkyError remainingAimMove_; // what of its moves is still to be gone
    bool raStopped_ = false;
    bool decStopped_ = false;
};

} // namespace nordstjerna
