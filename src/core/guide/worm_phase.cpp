#include "core/guide/worm_phase.h"

#include <cmath>

namespace nordstjerna {

namespace {
constexpr double steady_s = 30.0; // before its speed can be told
constexpr double closely_turns = 0.02;
constexpr int mostBad = 5;
} // namespace

void WormPhase::distrust() {
    if (++bad_ < mostBad)
        return;
    byMount_ = false;
    period_s_ = given_s_; // what was made of its figures goes with them
}

void WormPhase::feed(double t, std::optional<double> told) {
    const double dt = t - t_s_;
    t_s_ = t;
    if (!told || bad_ >= mostBad) {
        byMount_ = false;
        return;
    }
    if (!heard_) {
        heard_ = byMount_ = true;
        first_s_ = t;
        firstTurns_ = turns_ = lastTold_ = *told;
        return;
    }
    double step = *told - lastTold_;
    step -= std::round(step);
    lastTold_ = *told;
    const double foretold = speed_ * dt;
    turns_ += step;
    if (speed_ != 0.0 && std::abs(step - foretold) > closely_turns + 0.2 * std::abs(foretold)) {
        distrust();
        return;
    }
    const double span = t - first_s_;
    if (span < steady_s)
        return;
    const double speed = (turns_ - firstTurns_) / span;
    // Standing still, or once round in less than half a minute, is no worm.
    if (std::abs(speed) < 1.0 / 3600.0 || std::abs(speed) > 1.0 / 30.0) {
        distrust();
        return;
    }
    speed_ = speed;
    period_s_ = 1.0 / std::abs(speed);
    if (++good_ % 50 == 0 && bad_ > 0)
        --bad_;
}

void WormPhase::setPeriod(double period_s) {
    baseTurns_ = turns();
    base_s_ = t_s_;
    period_s_ = given_s_ = period_s;
}

double WormPhase::turns(double ahead) const {
    if (byMount_)
        return turns_ + (speed_ != 0.0 ? speed_ : known() ? 1.0 / period_s_ : 0.0) * ahead;
    return known() ? baseTurns_ + (t_s_ + ahead - base_s_) / period_s_ : 0.0;
}

} // namespace nordstjerna
