// Decides how much of an error to correct, one axis at a time.
#pragma once

#include <optional>
#include <string>

#include "core/guide/axis_sight.h"

namespace nordstjerna {

enum class DecMode { both, northOnly, southOnly, off };

enum class ControllerKind { proportional, trend, model };

// As files and the command line name them.
const char* controllerName(ControllerKind kind);
std::optional<ControllerKind> controllerFrom(const std::string& name);
const char* decModeName(DecMode mode); // "both", "north", "south", "off"
std::optional<DecMode> decModeFrom(const std::string& name);

struct AxisSettings {
    ControllerKind kind = ControllerKind::model;
    double loopGain = 0.65;        // share of the error corrected at once
    double deadband_arcsec = 0.25; // smaller errors are left alone
    double smoothing = 0.1;        // share of the former smoothed error kept, 0…1
    double pulseLimit_ms = 1500.0;
};

struct ControllerSettings {
    AxisSettings ra;
    AxisSettings dec;
    DecMode decMode = DecMode::both;
};

// Proportional controller with smoothing and deadband.
class ProportionalController {
public:
    explicit ProportionalController(const AxisSettings& settings) : settings_(settings) {}
    // Takes the measured error, gives the part to correct now (same sign), both ″. Pulse limits are
    // applied by the caller, who knows the rate.
    double correction(double error_arcsec);
    // Of a star that is seen, its aim perhaps on the way: what the aim was moved by is no error but a way to
    // go, and is gone at once.
    double correction(const AxisSight& sight) {
        return correction(sight.error_arcsec() + sight.owed_arcsec) - sight.owed_arcsec;
    }
    void reset() { smoothed_ = 0.0, fresh_ = true; }
    void setSettings(const AxisSettings& s) { settings_ = s; }
    const AxisSettings& settings() const { return settings_; }

private:
    AxisSettings settings_;
    double smoothed_ = 0.0;
    bool fresh_ = true;
};

} // namespace nordstjerna
