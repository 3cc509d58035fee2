// Which way do Dec pulses work on this side of the pier? Asked of the mount, not of the person: pulses north
// and then south, and after each the likelihoods of "with the rates", "against them" and "not at all",
// whatever the backlash and wherever the axis stands in it. It is over as soon as one of them is certain.
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "core/base/problem.h"
#include "core/calibration/calibration.h"
#include "core/guide/backlash_model.h"

namespace nordstjerna {

class DecProbe {
public:
    // rates: as carried here with the sense they have on the other side; noise: of a measured place, px.
    DecProbe(const Calibration& calibration, double noise_px);

    // Place of the star (px, against any fixed point), first before any pulse and then after each. The next
    // pulse, signed ms, north positive; absent when it is over.
    std::optional<double> next(double x_px, double y_px);

    int pulses() const { return pulses_; }
    // Once it is over: true when pulses work against the rates here. Fails when the star did not follow, or
    // not the two ways.
    Expected<bool> reversed() const;

private:
    // One idea of the axis: how pulses work, and where it stands in what backlash.
    struct Idea {
        int sense = 1; // 0: the star does not follow
        BacklashModel backlash;
        double logLikelihood = 0.0;
    };
    double along(double x, double y) const;
    void weigh(double moved_px);
    // The logarithm by which the best of the three answers is likelier than the next.
    struct Answer {
        int sense = 0;
        double lead = 0.0;
    };
    Answer answer() const;

    double direction_[2];
    double expected_px_, step_ms_, sigma_px_;
    std::vector<Idea> ideas_;
    double motor_px_ = 0.0; // along the rates, were they right
    std::optional<double> last_;
    std::array<double, 2> moved_px_{}; // in all, by pulses north and south
    bool south_ = false, over_ = false;
    int pulses_ = 0, inLeg_ = 0;
};

} // namespace nordstjerna
