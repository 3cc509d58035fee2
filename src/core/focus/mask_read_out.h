// Reads the focus off a frame taken through a diffraction mask: a plate of slits before the telescope, one
// half of it with slits one way, the two quarters of the other half with slits tilted to either side. Each
// group throws a spike through a bright star. Through a quarter or half of the aperture the star is seen from
// aside: out of focus the middle spike walks away from the crossing of the other two, to one side within
// focus and to the other beyond.
#pragma once

#include <Eigen/LU>
#include <array>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/image/frame.h"

namespace nordstjerna {

struct Spike {
    Eigen::Vector2d foot = Eigen::Vector2d::Zero(); // a point on it, sensor px
    double angle_deg = 0.0;                         // counter-clockwise from +x, 0 to 180
    double reach_px = 0.0;                          // it was followed so far to either side
};

struct MaskReadOut {
    std::array<Spike, 3> spikes;                        // the middle one last
    Eigen::Vector2d crossing = Eigen::Vector2d::Zero(); // of the outer two, sensor px
    Measured offset_px;                                 // of the middle spike from there, along `side`
    Eigen::Vector2d side =
        Eigen::Vector2d::UnitX(); // to the right of the frame (upwards where that is level)
    double snr = 0.0;             // of the faintest spike
};

// How far a camera stands from its best place for an offset of the spike, µm, without sign: the middle spike
// walks off by the radius of the light cone times this number, for slits tilted by `tilt_deg` and groups
// that fill a half and two quarters of a round aperture (the middles of their areas lie 4/(3π) of the radius
// out along each axis).
double maskSensitivity(double tilt_deg = 20.0);
Measured maskDefocus_um(const MaskReadOut& read, double pixel_um, double focalRatio, double tilt_deg);
// Half of the angle between the outer spikes, as found.
double maskTilt_deg(const MaskReadOut& read);

// Fails when no bright star is there, or not three spikes through it.
Expected<MaskReadOut> readMask(const Frame& frame);

} // namespace nordstjerna
