// One solved guide frame against an earlier calibration: does it still hold?
#pragma once

#include <string>

#include "core/base/text.h"
#include "core/calibration/calibration.h"
#include "core/sky/solved_frame.h"

namespace nordstjerna {

enum class CalibrationHold {
    asBefore,
    turned,  // the camera was turned meanwhile; the rates turn with it
    notAny,  // they must be measured again
    unknown, // the frame was not solved
};

struct CalibrationLook {
    CalibrationHold hold = CalibrationHold::unknown;
    Measured turn_deg; // of the sky on the sensor, from +x towards +y, since the calibration
    Text why;          // notAny, unknown: the reason, to go on after "because"

    // "as before", "turned by 3.1° ± 0.1°", "not any more, because …".
    Text words() const;
};

// here: the rates as they hold on the side of the pier where the frame was taken; the frame in the pixels of
// the rates (binned as they are). Turns below a degree change nothing that guiding notices: 1° puts 1.7 % of
// a correction on the other axis.
CalibrationLook lookAtCalibration(const Calibration& here, const SolvedFrame& frame);

// Where a star lies on the sensor that is farther east, or north, on the sky, by a solved frame.
SkyOnSensor skyOnSensor(const TangentPlane& plane);

} // namespace nordstjerna
