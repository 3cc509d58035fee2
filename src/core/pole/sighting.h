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

// How far air and flexure move the whole field in one exposure, ″ in one coordinate. Ordinary air moves it by
// about 0.9″ in a second, less in longer exposures; half an arcsecond of flexure between two parts of the sky
// is common (both common practice, no source).
double airMotion_arcsec(double exposure_s);

// Turns a solved frame into a sighting, refraction included. The roll is carried over by refracting points
// out along both sensor axes, since air shears the field by up to some hundredths of a degree.
// air_arcsec (of the whole field, one coordinate) goes into the uncertainty: no fit of the field's stars
// can tell it.
Sighting makeSighting(const SolvedFrame& solved, const ObservedFrame& frame, double air_arcsec);

} // namespace nordstjerna
