// Which way do Dec pulses work on this side of the pier? Asked of the mount, not of the person: north pulses
// until the play is taken up and the star follows two of them, then the same to the south.
#pragma once

#include <optional>

#include "core/base/problem.h"
#include "core/rates/calibration.h"

namespace nordstjerna {

class DecProbe {
public:
    // rates: as carried here with the sense they have on the other side; noise: of a measured place, px.
    DecProbe(const Rates& rates, double noise_px);

    // Place of the star (px, against any fixed point), first before any pulse and then after each. The next
    // pulse, signed ms, north positive; absent when it is over.
    std::optional<double> next(double x_px, double y_px);

    int pulses() const { return pulses_; }
    // Once it is over: true when pulses work against the rates here. Fails when the star did not follow, or
    // not the two ways.
    Expected<bool> reversed() const;

private:
    double along(double x, double y) const;
    double direction_[2];
    double expected_px_, step_ms_;
    std::optional<double> last_;
    int leg_ = 0; // 0 north, 1 south, 2 over
    int pulses_ = 0;
    int inLeg_ = 0;
    int followed_ = 0; // in a row, the same way
    double sense_ = 0.0;
    double senses_[2] = {0.0, 0.0};
};

} // namespace nordstjerna
