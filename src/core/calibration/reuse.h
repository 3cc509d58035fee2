// Rates used elsewhere than where they were measured: another binning, a turned camera, the other side of
// the pier. (Another declination needs nothing: rates are kept at declination 0.)
#pragma once

#include <optional>
#include <string>

#include "core/base/text.h"
#include "core/calibration/calibration.h"

namespace nordstjerna {

Calibration calibrationAtBinning(const Calibration& calibration, int bin);
// The camera was turned against the telescope by this angle, counter-clockwise as seen on the sensor's
// picture of the sky turning clockwise.
Calibration calibrationTurned(const Calibration& calibration, double rotator_deg);
// That angle for a sensor that turned by so much on the sky, as position angles grow.
double turnOnSensor_deg(const SkyOnSensor& sky, double positionAngle_deg);
// On the other side of the pier the picture stands on its head; whether Dec pulses then run the other way
// depends on the mount's firmware: absent means not known, and the rates are marked as unproven.
Calibration calibrationAcrossPier(const Calibration& calibration, std::optional<bool> decPulsesReverse);

// Why rates no longer describe the guide side, in words; empty when they do. Binning alone is no reason.
Text whyCalibrationAged(const CalibrationSetup& then, const CalibrationSetup& now);

} // namespace nordstjerna
