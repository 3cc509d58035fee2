// Records a Dec backlash test: north pulses until the gears are engaged and beyond, then as many south in
// equal pulses, and so on, so that each change of direction is a repeat. The run shows what the star did;
// rows carry the pulse that follows them.
#pragma once

#include "core/guide/guide_geometry.h"
#include "core/motion/run.h"
#include "core/procedure/star_watch.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct BacklashSetup {
    Rig rig;
    Rates rates;
    double exposure_s = 1.5;
    double step_px = 3.0; // wanted motion of one pulse
    int clearing = 6;     // north pulses that are not judged
    int pulses = 14;      // each way
    int returns = 3;      // changes of direction
};

class BacklashTest : public Procedure {
public:
    explicit BacklashTest(BacklashSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    std::string name() const override { return "Backlash test"; }
    const Run& run() const { return run_; }
    const StarGroup& stars() const { return watch_.group(); }

private:
    Step look() const { return watch_.look(setup_.exposure_s); }
    Step measured(const StarsTracked& tracked, const Event& event);

    enum class Phase { start, finding, looking, pulsing, resting, ended };
    BacklashSetup setup_;
    std::optional<GuideGeometry> geometry_;
    std::vector<double> plan_; // signed pulses, ms, north positive
    size_t done_ = 0;          // pulses given
    Phase phase_ = Phase::start;
    StarWatch watch_;
    Run run_;
};

} // namespace nordstjerna
