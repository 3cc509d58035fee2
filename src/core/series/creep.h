// Slow motion of the imaging field while the guide star stands: from frame to frame the same stars are found
// again, and what the dithers moved is taken off. What is left the guide camera did not see: flexure.
#pragma once

#include <optional>
#include <span>

#include "core/base/measured.h"
#include "core/series/series_frame.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

struct Creep {
    Measured east_arcsec_min, north_arcsec_min; // of the stars on the sky
    double span_s = 0.0;
    int frames = 0;
    int freedoms = 0; // what the ± was found from
    Measured speed_arcsec_min() const;
    // Chance alone would do that once in a thousand series. Few frames say little about their own scatter, so
    // of them more is asked (the F distribution with 2 and `freedoms` degrees of freedom).
    bool certain() const;
};

enum class CreepPart {
    all,    // as the frames show it
    flexure // and what it would be had the aim not been moved against it
};

// How the stars of a frame stand against the one before, on the sky, once what the aim was moved by is taken
// off. plane: of a frame that was solved on the side `solvedSide` of the meridian; over there the picture
// stands on its head. Absent over the flip, or when too few stars are found again.
std::optional<SkyError> movedSince(const SeriesFrame& before, const SeriesFrame& frame,
                                   const TangentPlane& plane, const std::string& solvedSide,
                                   double scale_arcsec_px);

// From what each frame has moved since the one before. Absent with fewer than four frames or five minutes.
std::optional<Creep> creepOf(std::span<const SeriesFrame> frames, CreepPart part = CreepPart::all);

} // namespace nordstjerna
