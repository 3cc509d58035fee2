// Picks guide stars: not the brightest but those whose place can be measured best and kept longest.
#pragma once

#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/image/star_detect.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

struct ChoiceOptions {
    int most = 16;        // each costs a window of the sensor; fewer where further ones would add little
    double minSnr = 20.0; // common practice, no source
    double minHfd = 1.5;  // less marks a hot pixel (common practice, no source)
    double maxPeakFraction = 0.9; // of the saturation level
    double edge_px = 40.0;        // dither and search window
    double isolation_px = 25.0;   // no star of a tenth of the flux within
};

struct Judged {
    Star star;
    bool chosen = false;
    Text reason;
    bool tooBright = false;
};

// All stars of the field with the reason for choice or rejection; the chosen ones first, best first.
std::vector<Judged> judgeGuideStars(const StarField& field, int width, int height, double saturation_adu,
                                    const ChoiceOptions& options = {});

// Only the chosen ones; the failure says why none is fit.
Expected<std::vector<Star>> chooseGuideStars(const StarField& field, int width, int height,
                                             double saturation_adu, const ChoiceOptions& options = {});

// The stars to watch on a frame, and all that are on it: the pattern the field is recognised by.
struct GuideField {
    std::vector<Star> chosen;
    StarField field;
};

// Chosen by merit.
Expected<GuideField> guideFieldOn(const Frame& frame, const ChoiceOptions& options = {});

// Those that a person pointed at, each measured within 10 px of the place; those not found are left out.
// Fails when none is there.
Expected<GuideField> guideFieldAt(const Frame& frame, const std::vector<Pixel>& places);

} // namespace nordstjerna
