// What a controller of the guide loop is, and its settings. Which ones there are: controllers.h.
#pragma once

#include <optional>
#include <string>

#include "core/guide/axis_input.h"

namespace nordstjerna {

enum class DecMode { both, northOnly, southOnly, off };

// Numbers are kept in files: a further controller takes the next one. Each has its line in controllers.cpp.
enum class ControllerKind { proportional = 0, trend = 1, model = 2 };

// As files and the command line name it.
const char* decModeName(DecMode mode); // "both", "north", "south", "off"
std::optional<DecMode> decModeFrom(const std::string& name);

struct AxisSettings {
    ControllerKind kind = ControllerKind::model;
    double loopGain = 0.65;        // share of the error corrected at once
    double deadband_arcsec = 0.25; // smaller errors are left alone
    double smoothing = 0.1;        // share of the former smoothed error kept, 0…1
    double pulseLimit_ms = 1500.0;
    double pause_s = 0.0; // after a correction the axis is left alone so long; frames go on meanwhile
};

struct ControllerSettings {
    AxisSettings ra;
    AxisSettings dec;
    DecMode decMode = DecMode::both;
    // Where nobody corrects Dec, what it does is nobody's to wait for or to blame.
    bool correctsDec() const { return decMode != DecMode::off; }
};

// Decides about one axis. Fed every frame, whether it is in charge or another is, so that what it has learnt
// is there when it takes over.
class Controller {
public:
    virtual ~Controller() = default;
    // The part of the error to correct now, of the error's sign, ″. The caller applies pulse limits.
    // inCharge: false while another controller works; what is returned then counts for nothing.
    virtual double correction(const AxisInput& in, bool inCharge) = 0;
    virtual void setSettings(const AxisSettings&) {}
};

} // namespace nordstjerna
