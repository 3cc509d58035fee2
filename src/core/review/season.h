// A mount over months: its figures beside each other, what was done to it, and what helped most.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/review/trend.h"

namespace nordstjerna {

// What was done to the mount, as the person noted it.
struct HardwareMark {
    Instant day; // its noon
    std::string words;
};

struct SeasonLine {
    std::string figure; // its name in the night log; less of it is better
    std::vector<TrendPoint> points;
    Trend trend;
};

// The figures that tell of a mount, in the order in which they are shown.
inline constexpr const char* seasonFigures[] = {"total_rms_arcsec", "mount_part_arcsec",
                                                "worm_peak_to_peak_arcsec", "dec_backlash_arcsec",
                                                "pole_total_arcmin"};

struct Improvement {
    std::string figure;
    Measured before, after;
    Instant last, first;              // values with the one level and with the other
    std::optional<HardwareMark> mark; // that was made between the two, or the day around
};

// Of all changes of level for the better the one that took away the largest part of its figure. Changes are
// those that the trend finds: they stand out of the scatter.
std::optional<Improvement> whatHelpedMost(const std::vector<SeasonLine>& lines,
                                          const std::vector<HardwareMark>& marks);

} // namespace nordstjerna
