// Leads the cooler of a camera to a temperature and back, no faster than sensor and window bear: the targets
// it is given move a few degrees a minute. Pure: whoever looks after the cooler asks what to tell it next.
#pragma once

#include "core/image/cooler.h"

namespace nordstjerna {

struct CoolerOrder {
    bool on = true;
    double target_c = 0.0;
};

class CoolerRamp {
public:
    static constexpr double pace_c_min = 5.0; // makers of cooled cameras advise 3 to 6 °C a minute

    void cool(double to_c);
    void warm();
    CoolerPhase phase() const { return phase_; }
    std::optional<double> goal_c() const { return goal_; } // while cooling, or there

    // What to tell the cooler now that it says this; absent: nothing new. steady_s: of a clock nobody sets.
    std::optional<CoolerOrder> next(const CoolerState& state, double steady_s);

private:
    void begin(CoolerPhase phase, std::optional<double> goal);
    std::optional<CoolerOrder> lead(const CoolerState& state, double steady_s, double goal);
    void judge(const CoolerState& state, double steady_s);
    bool asWarmAsTheAir(const CoolerState& state) const;

    struct Mark {
        double when_s, sensor_c;
    };
    CoolerPhase phase_ = CoolerPhase::idle;
    std::optional<double> goal_;
    std::optional<Mark> began_;      // of the way to the goal
    std::optional<double> told_;     // the last target
    std::optional<double> there_s_;  // since then near the goal
    std::optional<Mark> struggling_; // since then at full power without getting much colder
};

} // namespace nordstjerna
