// What plate solving tells of one frame.
#pragma once

#include "core/sky/instant.h"
#include "core/sky/site.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

struct SolvedFrame {
    TangentPlane plane; // tangent point at the frame's centre
    int width = 0;
    int height = 0;
    int matched = 0;         // stars in the fit
    double chance = 0.0;     // at most, of a false match; 0: figures of stars found it, far below any doubt
    double rms_arcsec = 0.0; // of one star in one coordinate about the fit
    double sigmaCentre_arcsec = 0.0; // one standard deviation of the centre in one coordinate
    double sigmaRoll_arcsec = 0.0;   // of the rotation about the optical axis
    Instant when;                    // middle of the exposure

    Equatorial centre() const { return equatorialFrom(plane.centre); }
};

// The same in the pixels of the camera, where pixels were added up before solving.
inline SolvedFrame unbinned(SolvedFrame f, int bin) {
    f.plane.cd /= bin;
    f.plane.reference = {bin * (f.plane.reference.x + 0.5) - 0.5, bin * (f.plane.reference.y + 0.5) - 0.5};
    f.width *= bin;
    f.height *= bin;
    return f;
}

// The same plane as the telescope saw it, among directions seen from the site (ENU): the air lifts and
// flattens a field, so what belongs to the optics alone is asked there. To first order about the middle.
TangentPlane seenPlane(const SolvedFrame& frame, const Site& site);

} // namespace nordstjerna
