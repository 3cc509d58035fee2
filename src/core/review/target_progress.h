// What was gathered of one target over its nights: light, sharpness, roundness, guiding, and what was
// flagged.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/series/series_frame.h"
#include "core/sky/instant.h"

namespace nordstjerna {

// One series of the target, as its table tells it.
struct SeriesOfTarget {
    Instant night; // its noon
    double imageScale_arcsec_px = 0.0;
    std::vector<SeriesFrame> frames;
};

// Frames taken together. Usable are those without a remark: the rule is simple, so that everybody can check
// it by the table.
struct Gathered {
    int frames = 0, usable = 0;
    double exposed_s = 0.0, usable_s = 0.0;
    std::array<int, remarks> flagged{};    // frames by their Remark
    std::optional<double> fwhm_arcsec;     // median of the usable ones, like those that follow
    std::optional<double> elongation;      // 0: round
    std::optional<double> guideRms_arcsec; // of both axes
};

struct NightOfTarget {
    Instant night;
    std::string filter; // empty: none, or not known
    Gathered gathered;
};

struct TargetProgress {
    std::vector<NightOfTarget> nights;                     // by night, then filter
    std::vector<std::pair<std::string, Gathered>> filters; // over all nights
    Gathered all;
    // Usable light of a night on which it was taken: the mean of the last five, and its ±. Absent: no night.
    // From a single night on nothing is known of the scatter: the ± is as large as the figure.
    std::optional<Measured> pace_s;
};

TargetProgress progressOf(const std::vector<SeriesOfTarget>& series);

// How many more such nights until there is so much usable light; 0: it is there. Absent: at no pace.
std::optional<Measured> nightsToCome(const TargetProgress& progress, double wanted_s);

} // namespace nordstjerna
