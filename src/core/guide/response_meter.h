// Measures how one axis answers its pulses: how late, from the ordinary pulses of a run, and how much of what
// the calibration says (gain), from pulses far above the noise: dithers, and the way to the aim. By
// prediction errors: a bank of small Kalman filters (Kalman 1960), each with another delay. Prediction errors
// are consistent in closed loop, where plain regression of motion on pulses is not (Ljung, System
// Identification, 2nd ed. 1999, ch. 13); a gain from pulses that answer the noise would still follow how
// these filters take the noise.
#pragma once

#include <Eigen/Core>
#include <deque>
#include <optional>
#include <vector>

#include "core/base/measured.h"

namespace nordstjerna {

// Before anything is measured: what may be.
struct Response {
    Measured gain{1.0, 0.3};    // of what the calibration says
    Measured delay_s{0.0, 3.0}; // until a pulse begins to show, beyond the start of the next exposure
};

class ResponseMeter {
public:
    ResponseMeter();

    // The pulses after the last frame should have moved the star by so much; they can show from the start of
    // this frame on.
    void sent(double frame_s, double exposure_s, double motion_arcsec);
    // The place of the star in that frame against a fixed point, pulses included; sigma of one place.
    // foretold: what the axis should have moved by itself since the last frame, as far as that is known.
    // rateWalk: how freely its own rate wanders besides, where that is more than mounts usually do.
    void see(double frame_s, double place_arcsec, double sigma_arcsec, double foretold_arcsec = 0.0,
             double rateWalk_arcsec2_s3 = 0.0);

    // By all that was seen so far, what was assumed beforehand included.
    const Response& measured() const { return measured_; }
    // What to reckon with: as the calibration says until the contrary is clear.
    double gain() const { return otherGain_ ? measured_.gain.value : 1.0; }
    double delay_s() const { return late_ ? measured_.delay_s.value : 0.0; }

    // Of the pulses sent so far: what of their nominal motion the last frame did not show yet, and what it
    // showed more than the frame before, each if they come so late.
    double pending_arcsec(double delay_s) const;
    double shown_arcsec(double delay_s) const;

private:
    struct Pulse {
        double from_s;   // shows from here on, if not late
        double length_s; // of the exposure that follows
        double motion_arcsec;
    };
    struct Idea {
        double delay_s;
        Eigen::Vector3d state = Eigen::Vector3d::Zero(); // place, rate, gain
        Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();
        double logWeight = 0.0;
    };
    static double share(const Pulse& p, double frame_s, double delay_s);
    // Whether a motion that a frame should show is so large that the gain can be told from it.
    bool tellsGain(double shown_arcsec, double dt_s, double noise_arcsec2) const;
    void advance(Idea& idea, double dt_s, double noise_arcsec2) const;
    void update(Idea& idea, double dt_s, double place_arcsec, double noise_arcsec2) const;
    void judge();

    double rateWalk_arcsec2_s3_ = 0.0;
    double foretold_arcsec_ = 0.0;
    std::deque<Pulse> pulses_;
    std::vector<Idea> ideas_;
    Idea asCalibrated_{0.0};                  // gain 1 and no delay: what the others are compared with
    std::optional<double> last_s_, before_s_; // frames
    std::optional<double> seen_s_;            // the last frame with a star
    Response measured_;
    bool late_ = false, otherGain_ = false;
};

} // namespace nordstjerna
