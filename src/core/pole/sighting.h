// A sighting: where the camera really points, in the local frame of the site.
#pragma once

#include "core/sky/observed_frame.h"
#include "core/sky/solved_frame.h"

namespace nordstjerna {

struct Sighting {
    Mat3 camera = Mat3::Identity();     // columns: the camera's x, y and optical axis as ENU unit vectors
    double sigmaDirection_arcsec = 2.0; // of the optical axis in each coordinate
    double sigmaRoll_arcsec = 60.0;     // of the rotation about it
    Instant when;

    Vec3 direction() const { return camera.col(2); }
};

// Turns a solved frame into a sighting, refraction included. The roll is carried over by refracting points
// out along both sensor axes, since air shears the field by up to some hundredths of a degree.
// The air moves the whole field during a short exposure, which no fit of its stars can tell; airMotion_arcsec
// (one coordinate, ordinary seeing and a few seconds) goes into the uncertainty.
Sighting makeSighting(const SolvedFrame& solved, const ObservedFrame& frame, double airMotion_arcsec = 0.5);

} // namespace nordstjerna
