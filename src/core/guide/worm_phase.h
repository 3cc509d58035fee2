// Where the worm stands: as the mount tells, where it tells sensibly, else by the time since the run began. A
// mount that counts down, or from another place, is as good as any; one whose figure stands still or jumps is
// not believed.
#pragma once

#include <optional>

namespace nordstjerna {

class WormPhase {
public:
    explicit WormPhase(double period_s) : period_s_(period_s), given_s_(period_s) {} // 0: not known

    void feed(double t_s, std::optional<double> told_turns);
    void setPeriod(double period_s); // found elsewhere

    bool known() const { return period_s_ > 0.0; }
    double period_s() const { return period_s_; }
    double turns(double ahead_s = 0.0) const; // not reduced to one turn
    bool byMount() const { return byMount_; }
    // The mount tells a phase that cannot be.
    bool toldNonsense() const { return heard_ && !byMount_; }

private:
    void distrust();
    double period_s_;
    double given_s_;
    double t_s_ = 0.0;
    double base_s_ = 0.0, baseTurns_ = 0.0; // from where the time is counted
    double turns_ = 0.0;                    // unwrapped, as told
    double speed_ = 0.0;                    // turns a second, signed
    double first_s_ = 0.0, firstTurns_ = 0.0;
    double lastTold_ = 0.0;
    bool heard_ = false;
    bool byMount_ = false;
    int good_ = 0, bad_ = 0;
};

} // namespace nordstjerna
