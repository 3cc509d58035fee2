// The night's path by day: the covered telescope goes to each place that the plan will take it to, on both
// sides of the pier and through the flip, and rests there while a person looks after cables, straps and legs
// of the tripod. No star is needed.
#pragma once

#include "core/procedure/procedure.h"
#include "core/series/night_plan.h"

namespace nordstjerna {

struct RehearsalStop {
    Text name; // "NGC 891, where it begins"
    HourAngleDec place;
    std::string side; // of the meridian that the telescope looks to, as the mount tells it
};

// Of a planned night: begin and end of each target's stretch, and both sides of its flip. first: where the
// series of the first target begins and ends, by its own plan; nothing where no frame is taken.
std::vector<RehearsalStop> rehearsalStops(const SeriesSetup& first, const SeriesPlan& plan,
                                          const std::vector<FollowingTarget>& following,
                                          const std::vector<NightStretch>& stretches);

struct RehearsalSetup {
    Rig rig;
    std::vector<RehearsalStop> stops;
    double pause_s = 10.0; // at each; a person may go on earlier, or stay
    bool stay = false;     // at each stop until goOn()
};

class Rehearsal : public Procedure {
public:
    explicit Rehearsal(RehearsalSetup setup);
    Progress progress() const override;
    Text name() const override { return Text::say("Rehearsal"); }

    enum class Outcome { ahead, good, caught, notReached };
    // One entry a stop.
    const std::vector<Outcome>& outcomes() const { return outcomes_; }
    const RehearsalSetup& setup() const { return setup_; }
    // Where it rests; absent while it moves, and at the end.
    std::optional<size_t> restsAt() const;
    // Of the person, while it rests: on to the next one; something catches, or pulls, here.
    void goOn() { goOn_ = true; }
    void caught();
    // Went the whole way with nothing caught.
    bool clear() const;

protected:
    Step advance(const Event& event) override;
    bool repeatable(const Step& step) const override;

private:
    Step next(const Event& event);
    enum class Phase { start, slewing, stopping, resting };
    RehearsalSetup setup_;
    std::vector<Outcome> outcomes_;
    Phase phase_ = Phase::start;
    size_t at_ = 0;
    double rested_s_ = 0.0;
    bool goOn_ = false;
};

} // namespace nordstjerna
