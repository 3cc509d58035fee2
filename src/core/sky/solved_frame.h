// What plate solving tells of one frame.
#pragma once

#include "core/sky/instant.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

struct SolvedFrame {
    TangentPlane plane; // tangent point at the frame's centre
    int width = 0;
    int height = 0;
    int matched = 0;                 // stars in the fit
    double rms_arcsec = 0.0;         // of one star in one coordinate about the fit
    double sigmaCentre_arcsec = 0.0; // one standard deviation of the centre in one coordinate
    double sigmaRoll_arcsec = 0.0;   // of the rotation about the optical axis
    Instant when;                    // middle of the exposure

    Equatorial centre() const { return equatorialFrom(plane.centre); }
};

} // namespace nordstjerna
