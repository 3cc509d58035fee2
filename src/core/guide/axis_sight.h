// What a controller is told about one axis in one frame.
#pragma once

#include <optional>

namespace nordstjerna {

struct AxisSight {
    double t_s = 0.0;                   // middle of the exposure
    std::optional<double> error_arcsec; // of the star against the aim; absent: no star
    double centroid_arcsec = 0.0;       // what light and camera let it scatter
    double moved_arcsec = 0.0;   // what the pulses sent since the last frame should have done to the star
    double next_s = 2.5;         // to the middle of the next exposure, if no pulse is given
    double reach_arcsec_s = 7.5; // of a pulse, the rate without its sign
    std::optional<double> worm_turns; // as the mount tells
};

} // namespace nordstjerna
