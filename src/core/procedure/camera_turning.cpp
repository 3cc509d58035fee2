#include "core/procedure/camera_turning.h"

#include <cmath>
#include <limits>

#include "core/base/format.h"
#include "core/rig/framing.h"

namespace nordstjerna {

namespace {
constexpr double fullCircle_deg = 359.5;

double roll_deg(const SolvedFrame& frame) {
    return frame.plane.roll().deg();
}
} // namespace

std::optional<double> rotatorGoal(const RotatorState& rotator, double by_deg) {
    const bool round = rotator.highest_deg - rotator.lowest_deg >= fullCircle_deg;
    std::optional<double> goal;
    double shortest = std::numeric_limits<double>::infinity();
    constexpr int mostHalves = 8; // twice round either way
    for (int halves = -mostHalves; halves <= mostHalves; ++halves) {
        const double place = rotator.angle_deg + by_deg + 180.0 * halves;
        if (place < rotator.lowest_deg || place > rotator.highest_deg)
            continue;
        const double way = place - rotator.angle_deg;
        // One that goes all the way round takes the short way itself.
        const double length = std::abs(round ? std::remainder(way, 360.0) : way);
        if (length < shortest - 1e-6) {
            shortest = length;
            goal = place;
        }
    }
    return goal;
}

std::optional<double> CameraTurning::left_deg() const {
    if (!last_)
        return std::nullopt;
    return std::remainder(setup_.wanted_deg - roll_deg(*last_), 180.0);
}

std::optional<Measured> CameraTurning::turned_deg() const {
    if (!first_ || !last_ || moves_ == 0)
        return std::nullopt;
    return Measured{std::remainder(roll_deg(*last_) - roll_deg(*first_), 360.0),
                    std::hypot(first_->sigmaRoll_arcsec, last_->sigmaRoll_arcsec) / 3600.0};
}

Step CameraTurning::lookAgain(const Event& event) {
    phase_ = Phase::looking;
    look_.again();
    return *look_.next(event);
}

// A frame was solved.
Step CameraTurning::looked() {
    last_ = look_.solved();
    if (!first_)
        first_ = last_;
    const double left = *left_deg();
    if (std::abs(left) <= setup_.tolerance_deg) {
        there_ = true;
        return DoneStep{};
    }
    if (moves_ > 0) {
        const double seen = std::remainder(roll_deg(*last_) - before_deg_, 360.0);
        const double told = std::remainder(commanded_deg_, 360.0);
        const double length = std::min(std::abs(told), 360.0 - std::abs(told));
        if (std::abs(seen) < 0.3 * length)
            return FailStep{
                {Text::say("The camera does not turn with its rotator."),
                 Text::say("The rotator says that it turned by %1°; the stars turned by %2°.")
                     .arg(formatNumber(std::abs(told), 1))
                     .arg(formatNumber(std::abs(seen), 1)),
                 Text::say("Check what clamps the camera in the rotator, and the rotator's belt or screw.")}};
        // Half a turn looks alike both ways.
        if (!senseSeen_ && std::abs(told) < 170.0) {
            sense_ = seen * told > 0.0 ? sense_ : -sense_;
            senseSeen_ = true;
        }
    }
    constexpr int mostMoves = 5;
    if (moves_ >= mostMoves)
        return FailStep{{Text::say("The camera did not come to the wanted angle."),
                         Text::say("After %1 turns it is still %2° off.")
                             .arg(moves_)
                             .arg(formatNumber(std::abs(left), 2)),
                         Text::say("Check whether the rotator slips; then turn again.")}};
    phase_ = Phase::asking;
    return TurnStep{};
}

Step CameraTurning::turnFrom(const RotatorState& rotator) {
    // As long as nothing is known of its sense, the first move may go the wrong way: a short one costs less.
    constexpr double first_deg = 10.0;
    double by = *left_deg();
    if (!senseSeen_)
        by = std::clamp(by, -first_deg, first_deg);
    const bool part = std::abs(by) < std::abs(*left_deg());
    auto goal = rotatorGoal(rotator, sense_ * by);
    // A part of the way, or the whole of it, must not become half a turn more for want of range.
    if (part && (!goal || std::abs(std::remainder(*goal - rotator.angle_deg - sense_ * by, 360.0)) > 1.0))
        goal = rotatorGoal(rotator, -sense_ * by);
    if (!goal)
        return FailStep{
            {Text::say("The rotator does not reach the wanted angle."),
             Text::say("It stands at %1° and goes from %2° to %3°.")
                 .arg(formatNumber(rotator.angle_deg, 1))
                 .arg(formatNumber(rotator.lowest_deg, 0))
                 .arg(formatNumber(rotator.highest_deg, 0)),
             Text::say("Loosen the camera, turn it by hand by a quarter turn, then turn again.")}};
    ++moves_;
    commanded_deg_ = *goal - rotator.angle_deg;
    before_deg_ = roll_deg(*last_);
    phase_ = Phase::turning;
    return TurnStep{*goal};
}

Step CameraTurning::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (phase_ == Phase::asking)
        if (const auto* answer = std::get_if<RotatorAnswered>(&event.what))
            return turnFrom(answer->state);
    if (phase_ == Phase::turning && std::holds_alternative<RotatorAnswered>(event.what))
        return lookAgain(event);
    if (auto step = look_.next(event))
        return *step;
    return looked();
}

Progress CameraTurning::progress() const {
    using State = ProgressStep::State;
    Progress p;
    p.steps = {{Text::say("Look"), first_ ? State::done : State::running},
               {Text::say("Turn"), there_                     ? State::done
                                   : phase_ == Phase::turning ? State::running
                                   : moves_ > 0               ? State::done
                                                              : State::ahead},
               {Text::say("Look again"), there_                                   ? State::done
                                         : moves_ > 0 && phase_ == Phase::looking ? State::running
                                                                                  : State::ahead}};
    p.fraction = -1.0;
    p.waitingFor = phase_ == Phase::looking ? look_.waitingFor() : Text::say("the rotator to turn");
    return p;
}

} // namespace nordstjerna
