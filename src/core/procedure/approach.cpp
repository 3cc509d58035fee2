#include "core/procedure/approach.h"

#include "core/base/format.h"
#include "core/procedure/pole_measurement.h"
#include "core/procedure/slew.h"

namespace nordstjerna {

std::optional<Step> Approach::next(const Event& event) {
    switch (phase_) {
    case Phase::start:
        if (const auto obstacle = slewObstacle(setup_.rig, setup_.place)) {
            phase_ = Phase::ended;
            return FailStep{*obstacle};
        }
        phase_ = Phase::arriving;
        return arrival_.begin(announcedSlew(setup_.rig, event, setup_.place, setup_.purpose, setup_.side),
                              setup_.settle_s);
    case Phase::arriving:
        if (auto step = arrival_.next())
            return step;
        phase_ = Phase::exposing;
        return ExposeStep{exposure_s_, setup_.camera};
    case Phase::exposing: {
        phase_ = Phase::solving;
        SolveStep solve = solveStepFor(setup_.rig, setup_.camera, setup_.bin, event);
        frame_ = solve.frame;
        solve.scaleTolerance = setup_.scaleTolerance;
        if (setup_.blind)
            solve.near.reset();
        return solve;
    }
    case Phase::solving: {
        const auto& answer = std::get<FrameSolved>(event.what);
        if (answer.solution) {
            solved_ = *answer.solution;
            phase_ = Phase::ended;
            return std::nullopt;
        }
        if (attempt_ < setup_.retries) {
            ++attempt_;
            exposure_s_ *= 2.0;
            phase_ = Phase::exposing;
            return ExposeStep{exposure_s_, setup_.camera};
        }
        phase_ = Phase::ended;
        return FailStep{diagnoseUnsolved(*frame_, answer.solution.error())};
    }
    case Phase::ended:
        break;
    }
    return std::nullopt;
}

Text Approach::waitingFor() const {
    switch (phase_) {
    case Phase::arriving:
        return arrival_.slewing() ? setup_.purpose : Text::say("the mount settles");
    case Phase::exposing:
        return exposingWords(exposure_s_, attempt_ > 0);
    case Phase::solving:
        return Text::say("solving");
    default:
        return {};
    }
}

Approach Approach::toWatch(const Rig& rig, const HourAngleDec& place, const Text& purpose) {
    ApproachSetup a;
    a.rig = rig;
    a.place = place;
    a.purpose = purpose;
    a.settle_s = 6.0;
    return Approach(std::move(a));
}

std::vector<ProgressStep> Approach::steps(const Text& afterwards, bool under_way, bool over) const {
    using State = ProgressStep::State;
    const bool arrived = under_way || over;
    const bool rested = phase_ > Phase::arriving;
    return {{Text::say("Slew and settle"), arrived || rested ? State::done : State::running},
            {Text::say("Solve"), arrived  ? State::done
                                 : rested ? State::running
                                          : State::ahead},
            {afterwards, under_way ? State::running : State::ahead}};
}

} // namespace nordstjerna
