// How large the stars of a frame are, from sharp ones to discs a hundred pixels wide.
#pragma once

#include "core/base/measured.h"
#include "core/image/frame.h"
#include "core/image/star_detect.h"

namespace nordstjerna {

struct FocusLook {
    Measured hfd_px;   // median of the better stars, in pixels of the frame; 0 without stars
    int stars = 0;     // it was made of
    int saturated = 0; // left out
    int bin = 1;       // pixels were added up so, for wide discs to be found as one star
    double peak_adu = 0.0;
    double background_adu = 0.0;
};

// Wide discs are broken up by their own noise when looked at pixel by pixel; added up until they are a few
// pixels wide they are stars like others. The coarsest look at which the stars fill several pixels counts. A
// frame that cannot be searched has no stars.
FocusLook lookForFocus(const Frame& frame);
// The same where the frame's stars have been found already.
FocusLook lookForFocus(const Frame& frame, const StarField& found);

} // namespace nordstjerna
