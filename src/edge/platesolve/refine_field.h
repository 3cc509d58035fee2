// From a proposed place of a frame to the best one: all detections matched to catalogue stars and fitted.
#pragma once

#include <optional>
#include <vector>

#include "core/image/star.h"
#include "core/sky/catalogue_star.h"
#include "core/sky/solved_frame.h"

namespace nordstjerna {

// The full set by weighted least squares: centre, and a linear map (six parameters from seven stars on,
// otherwise four). The tangent point is moved until the frame's centre falls on it. plane: with its reference
// at the frame's centre, right to a few px. Absent when fewer than `fewest` stars agree. Sizes and time of
// the frame are left open.
std::optional<SolvedFrame> refineField(TangentPlane plane, const std::vector<Star>& stars,
                                       const std::vector<CatalogueStar>& catalogue, int fewest = 4);

} // namespace nordstjerna
