// The simulated focuser behind its port: backlash, slip, heat, and ways to fail.
#pragma once

#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

class SimFocuser : public Focuser {
public:
    SimFocuser(SimulatedNight& night, const SimFocuserSetup& setup)
        : night_(night), setup_(setup), count_(setup.begin_steps), camera_(setup.begin_steps) {}
    Expected<FocuserState> state() const override;
    Expected<void> moveTo(int steps, const StopFlag& halt) override;

    // How far the camera has come since the start, µm outwards. Call with the night's lock held.
    double travelled_um() const { return setup_.step_um * (camera_ - setup_.begin_steps - slipped_); }

private:
    // Both with the night's lock held.
    void turn(double to);
    Expected<void> link() const;
    SimulatedNight& night_;
    SimFocuserSetup setup_;
    double count_;
    double camera_;        // steps; pushed by the count, up to the backlash ahead of it
    double slipped_ = 0.0; // steps the camera has slid back
};

} // namespace nordstjerna
