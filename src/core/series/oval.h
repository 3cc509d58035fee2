// Why are the stars oval? The shape of the frames on the sky, held against what the guide loop recorded of
// the same exposures, against the creep of the field, and against its growth from the middle outwards.
#pragma once

#include <string>
#include <vector>

#include "core/series/creep.h"

namespace nordstjerna {

enum class OvalCause {
    guidedRa,  // the record shows it, along RA: periodic error or gain
    guidedDec, // the record shows it, along Dec: drift or backlash
    creep,     // flexure between guide scope and telescope
    rotation,  // of the field: the pole
    unseen     // neither: wind on the long tube, tilt, a mirror
};
const char* ovalCauseName(OvalCause cause);

struct OvalShare {
    OvalCause cause;
    double share; // of what is out of round, 0…1 and a little beyond
};

struct OvalReport {
    bool oval = false; // beyond what is round to the eye and to the ±
    double elongation = 0.0;
    Measured excessDec_arcsec2; // variance along Dec less that along RA
    Measured excessDiagonal_arcsec2;
    double positionAngle_deg = 0.0; // of the longer axis, 0…180
    int frames = 0;
    std::vector<OvalShare> causes; // greatest first; empty while round
};

// Of the last frames that are not marked. Absent with fewer than three.
std::optional<OvalReport> whyOval(const std::vector<SeriesFrame>& frames, const TangentPlane& plane,
                                  const std::optional<Creep>& creep, double scale_arcsec_px);

} // namespace nordstjerna
