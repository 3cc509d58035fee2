// Calibrates the guide rates: choose a star, clear the Dec backlash, then west, east, north, south.
#pragma once

#include "core/calibration/calibration.h"
#include "core/image/star_detect.h"
#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct CalibrationRunSetup {
    Rig rig;
    double exposure_s = 1.0;
    double wanted = 0.005; // relative ± of a rate that noise alone may leave; legs are as long as that takes
    double pause_s = 0.5;  // after a pulse
};

// How far a star is sent along each leg, in how many pulses of what length.
struct LegPlan {
    double travel_px = 0.0;
    int steps = 0;
    double step_ms = 0.0;
};
// A line through the 2 N looks of a leg and its way back, spread over L: its slope is good to σ √(12 / 2N) /
// L. Of all N and L that give the wanted ±, those that take the least time, looks and pulses together.
// noise_px: of one coordinate of the star. look_s: from one look to the next without the pulse.
LegPlan planLegs(const CalibrationSetup& circumstances, double noise_px, double wanted, double look_s,
                 double room_px);
// By the noise of a usual night, for a rig that has not been on the sky yet.
LegPlan usualLegs(const Rig& rig);

class CalibrationRun : public Procedure {
public:
    explicit CalibrationRun(CalibrationRunSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Guide rates"); }

    const std::vector<CalibrationSample>& samples() const { return samples_; }
    const std::optional<Calibration>& result() const { return result_; }
    const std::optional<Star>& star() const { return star_; }
    std::shared_ptr<const Frame> frame() const { return frame_; }
    double stepMs() const { return step_ms_; }
    const CalibrationRunSetup& setup() const { return setup_; }

private:
    enum class Phase { start, finding, orienting, firstLook, clearing, resting, leg, ended };
    void plan(double noise_px, double room_px);
    Step choose(const Event& event);
    Step orient(const FrameSolved& solved);
    Step look() const;
    bool atEdge() const;
    Step onStar(const Event& event, const Star& star, Instant middle);
    Step listen(const Star& star);
    Step clearing(const Star& star);
    Step resting(const Star& star, Instant middle);
    Step inLeg(const Star& star, double t_s);
    Step beginLeg(Leg leg, const Star& star, double t_s);
    Step pulse(Leg leg);
    Step restartWith(double step_ms);
    Step fail(Problem p);

    CalibrationRunSetup setup_;
    CalibrationSetup circumstances_;
    Phase phase_ = Phase::start;
    Leg leg_ = Leg::west;
    std::shared_ptr<const Frame> frame_;
    std::optional<Star> star_;
    std::optional<Star> legStart_;
    std::vector<CalibrationSample> samples_;
    std::optional<Instant> begin_;
    double step_ms_ = 0.0;
    double travel_px_ = 0.0;  // of a leg
    int steps_ = 0;           // of it
    std::vector<Star> quiet_; // before any pulse
    double noise_px_ = 0.0;   // of those
    // A mount that answers late still moves when the frame begins: so long after a pulse the looks wait.
    double pause_s_;
    Instant pulseEnd_;
    Eigen::Vector2d way_ = Eigen::Vector2d::Zero(); // of the last pulse that moved the star
    int rests_ = 0;
    int pulses_ = 0;   // in this leg, or while clearing
    int outward_ = 0;  // pulses of the outward leg that this one undoes
    int followed_ = 0; // clearing: pulses in a row that moved the star as they should
    int lost_ = 0;
    int restarts_ = 0;
    bool pulsing_ = false; // a pulse is under way, then the pause
    bool pausing_ = false;
    std::optional<Calibration> result_;
};

} // namespace nordstjerna
