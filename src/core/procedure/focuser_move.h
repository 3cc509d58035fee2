// Moves a focuser, and what can be wrong with its answers.
#pragma once

#include "core/procedure/procedure.h"

namespace nordstjerna {

// What is wrong with an answer: a place that is no number or beyond the travel, or another one than was asked
// for. Absent: nothing.
std::optional<Problem> focuserFault(const FocuserState& answer, std::optional<double> asked,
                                    std::optional<double> before);

// One move by hand: to a place, told where it ended. Always arrives by moving outwards, with the backlash
// taken up before where it goes inwards.
class FocuserMove : public Procedure {
public:
    FocuserMove(CameraRole camera, double to, double takeUp_steps)
        : camera_(camera), to_(to), takeUp_(takeUp_steps) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Moving the focuser"); }
    const std::optional<FocuserState>& state() const { return state_; }
    bool needsMount() const override { return false; }
    bool besideGuiding() const override { return camera_ == CameraRole::imaging; }

protected:
    Step advance(const Event& event) override;

private:
    CameraRole camera_;
    double to_;
    double takeUp_;
    std::optional<double> asked_;
    std::optional<FocuserState> state_;
    bool below_ = false;
};

} // namespace nordstjerna
