// Records a Dec backlash test: north pulses until the gears are engaged, then a leg north, one south in equal
// pulses, and so on, so that each change of direction is a repeat. A leg goes on until the star has followed
// it for a while, however large the gap, up to a bound. The run shows what the star did; rows carry the pulse
// that follows them.
#pragma once

#include "core/guide/guide_geometry.h"
#include "core/motion/run.h"
#include "core/procedure/star_watch.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct BacklashSetup {
    Rig rig;
    Calibration calibration;
    double exposure_s = 1.5;
    double step_px = 3.0; // wanted motion of one pulse
    int followed = 9;     // pulses each way that the star must follow
    int most = 60;        // pulses each way at most, whether it follows or not
    int returns = 3;      // changes of direction
};

class BacklashTest : public Procedure {
public:
    explicit BacklashTest(BacklashSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Backlash test"); }
    const Run& run() const { return run_; }
    const StarGroup& stars() const { return watch_.group(); }

private:
    Step look() const { return watch_.look(setup_.exposure_s); }
    Step measured(const StarsTracked& tracked, const Event& event);

    enum class Phase { start, finding, looking, pulsing, resting, ended };
    BacklashSetup setup_;
    std::optional<GuideGeometry> geometry_;
    double pulseOfLeg() const;
    bool legOver(double place_arcsec);
    double step_ms_ = 0.0;
    double step_arcsec_ = 0.0;
    int leg_ = -1;     // −1: clearing; 0 north, 1 south, …
    int inLeg_ = 0;    // pulses given
    int followed_ = 0; // pulses of this leg that the star followed, once it did
    int inRow_ = 0;
    int boundLegs_ = 0; // ended because nothing moved
    std::optional<double> last_;
    Phase phase_ = Phase::start;
    StarWatch watch_;
    Run run_;
};

} // namespace nordstjerna
