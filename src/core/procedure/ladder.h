// The unguided ladder: corrections off, one exposure of each length. Guiding that ran before goes on
// afterwards.
#pragma once

#include "core/procedure/procedure.h"
#include "core/series/ladder.h"

namespace nordstjerna {

struct LadderSetup {
    std::vector<double> exposures_s{30.0, 60.0, 120.0, 300.0};
    bool wasGuiding = false; // when it begins
};

class Ladder : public Procedure {
public:
    explicit Ladder(LadderSetup setup) : setup_(std::move(setup)) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Ladder"); }
    bool besideGuiding() const override { return true; }

    const LadderSetup& setup() const { return setup_; }
    const std::vector<LadderRung>& rungs() const { return rungs_; }
    // The newest one's pixels and stars; absent where nothing was taken or rendered.
    const std::optional<ImageTaken>& image() const { return image_; }
    // The guide loop did not come back after it.
    const std::optional<Problem>& notGuiding() const { return notGuiding_; }

protected:
    Step advance(const Event& event) override;

private:
    Step climb();
    Step leave();
    enum class Phase { start, freeing, exposing, guiding, ended };
    LadderSetup setup_;
    Phase phase_ = Phase::start;
    std::vector<LadderRung> rungs_;
    std::optional<ImageTaken> image_;
    std::optional<Problem> failure_, notGuiding_;
};

} // namespace nordstjerna
