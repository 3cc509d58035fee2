// Records a run, with or without corrections: choose stars, then frame after frame measure the shift, and
// when guiding turn it into pulses.
#pragma once

#include "core/guide/controller.h"
#include "core/guide/guide_geometry.h"
#include "core/image/guide_star_choice.h"
#include "core/motion/run.h"
#include "core/procedure/star_watch.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct GuidingSetup {
    Rig rig;
    Rates rates;
    bool corrections = true; // false: a free run
    ControllerSettings controller;
    double exposure_s = 2.0;
    int mostStars = 9;
    double settleFor_s = 10.0; // the error must stay small that long before the run counts
    double settleWithin_arcsec = 2.5;
    double settleTimeout_s = 60.0;
    double length_s = 0.0;          // 0: until stopped
    std::vector<Pixel> wantedStars; // chosen by hand; empty: chosen by merit
};

class Guiding : public Procedure {
public:
    explicit Guiding(GuidingSetup setup);
    Step next(const Event& event) override;
    Progress progress() const override;
    std::string name() const override { return setup_.corrections ? "Guiding" : "Free run"; }

    const Run& run() const { return run_; }
    const StarGroup& stars() const { return watch_.group(); }
    std::shared_ptr<const Frame> frame() const { return frame_; }
    bool settled() const { return settled_; }
    // Why the recording ended by itself before its time; absent when it was stopped or ran its length.
    const std::optional<Problem>& ending() const { return ending_; }
    bool over() const { return phase_ == Phase::ended; }
    bool lost() const { return watch_.lostFrames() > 0; }
    const GuidingSetup& setup() const { return setup_; }
    // Takes effect with the next frame.
    void setController(const ControllerSettings& settings);

private:
    enum class Phase { start, finding, looking, searching, renewing, correcting, ended };
    Step choose(const Event& event);
    Step lookOrSearch();
    Step measured(const StarsTracked& tracked, const Event& event);
    ChoiceOptions choiceOptions() const;
    PulsePair decide(const SkyError& error);
    void updateSettling(const SkyError& error, double t_s);

    GuidingSetup setup_;
    std::optional<GuideGeometry> geometry_;
    ProportionalController ra_;
    ProportionalController dec_;
    Phase phase_ = Phase::start;
    std::shared_ptr<const Frame> frame_;
    StarWatch watch_;
    Run run_;
    bool settled_ = false;
    std::optional<Problem> ending_;
    std::optional<double> smallSince_s_;
};

} // namespace nordstjerna
