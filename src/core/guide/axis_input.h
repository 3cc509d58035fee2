// What a controller is told about one axis in one frame.
#pragma once

#include <optional>

namespace nordstjerna {

struct AxisInput {
    double t_s = 0.0;                   // middle of the exposure
    std::optional<double> place_arcsec; // of the star against where the aim was at first; absent: no star
    double aim_arcsec = 0.0;            // where the aim is now, likewise
    double aimRate_arcsec_s = 0.0;      // at which it goes on from there
    double remainingAimMove_arcsec =
        0.0;                          // of its last moves: how far the star has not been sent after it yet
    double centroid_arcsec = 0.0;     // what light and camera let it scatter
    double moved_arcsec = 0.0;        // what the pulses sent since the last frame should do to the star
    double pending_arcsec = 0.0;      // of all pulses so far: what this frame does not show yet
    double next_s = 2.5;              // to the middle of the next exposure, if no pulse is given
    double guideSpeed_arcsec_s = 7.5; // of a pulse, the rate without its sign
    std::optional<double> worm_turns; // as the mount tells

    // What will be left when all pulses have come, of an axis without backlash.
    double error_arcsec() const { return *place_arcsec + pending_arcsec - aim_arcsec; }
    double aimNext_arcsec() const { return aim_arcsec + aimRate_arcsec_s * next_s; }
};

} // namespace nordstjerna
