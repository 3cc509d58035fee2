// Finds the same stars again after the field has jumped: the one displacement on which most of them agree.
#pragma once

#include <optional>
#include <vector>

#include "core/image/star.h"

namespace nordstjerna {

struct FieldJump {
    double dx = 0.0; // px, from home to now
    double dy = 0.0;
    int matched = 0;
};

// home: stars as once chosen; seen: all stars of the new frame. At least two thirds of the home stars must
// fit within `tolerance_px`, and their brightness must fit too (to a common factor). With a single home star
// its brightness alone decides: nothing within a factor of two, no answer.
std::optional<FieldJump> findJump(const std::vector<Star>& home, const std::vector<Star>& seen,
                                  double tolerance_px = 2.0);

// The same by the pattern of a field of stars: places must fit, and so many of them that chance is ruled out;
// brightness only to a common factor. Works while cloud hides some of them. area_px2: of the frame.
std::optional<FieldJump> findPattern(const std::vector<Star>& pattern, const std::vector<Star>& seen,
                                     double area_px2, double tolerance_px = 2.0);

} // namespace nordstjerna
