// Corrects a share of each error, with smoothing and a deadband.
#pragma once

#include "core/guide/controller.h"

namespace nordstjerna {

class ProportionalController : public Controller {
public:
    explicit ProportionalController(const AxisSettings& settings) : settings_(settings) {}
    // Takes the measured error, gives the part to correct now (same sign), both ″.
    double correction(double error_arcsec);
    // A frame without a star is not corrected, and what was smoothed before it is forgotten; likewise while
    // another controller works. What the aim was moved by is no error but a way to go, and is gone at once.
    double correction(const AxisInput& in, bool inCharge = true) override;
    void reset() { smoothed_ = 0.0, fresh_ = true; }
    void setSettings(const AxisSettings& s) override { settings_ = s; }
    const AxisSettings& settings() const { return settings_; }

private:
    AxisSettings settings_;
    double smoothed_ = 0.0;
    bool fresh_ = true;
};

} // namespace nordstjerna
