// Slow motion of the imaging field while the guide star stands: from frame to frame the same stars are found
// again, and what the dithers moved is taken off. What is left the guide camera did not see: flexure.
#pragma once

#include <optional>

#include "core/base/measured.h"
#include "core/series/series_frame.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

struct Creep {
    Measured east_arcsec_min, north_arcsec_min; // of the stars on the sky
    double span_s = 0.0;
    int frames = 0;
    double speed_arcsec_min() const;
    double positionAngle_deg() const; // north through east, −180…180
    bool certain() const;             // beyond three of its standard deviations
};

// How the stars of one frame stand on the next, px; expected: to within `reach_px`. Absent when too few are
// found again.
std::optional<Pixel> fieldShift(const FrameLook& from, const FrameLook& to, Pixel expected,
                                double reach_px = 6.0);

// plane: of a frame that was solved on the side `solvedSide` of the meridian; over there the picture stands
// on its head. Absent with fewer than four frames or ten minutes.
std::optional<Creep> creepOf(const std::vector<SeriesFrame>& frames, const TangentPlane& plane,
                             const std::string& solvedSide, double scale_arcsec_px);

} // namespace nordstjerna
