// How much of what guiding leaves is the mount's own motion, and not seeing or the camera: one estimate of
// it, asked for in three ways that agree on the same stretch within their ±.
#pragma once

#include <optional>
#include <vector>

#include "core/base/measured.h"
#include "core/motion/run.h"

namespace nordstjerna {

enum class MountPartKind {
    live,     // while guiding: by what the loop believed at each frame
    recent,   // now and then, and of each exposure: as smoothed, through the last half hour (recent_mount.h)
    smoothed, // afterwards: by the mount's track through all frames, before and after
};
// For a reader: "by what the loop believed at the time" …
Text mountPartMeaning(MountPartKind kind);

// Live, of both axes together, over the rows of the last `window_s` seconds that count; beliefs as many as
// rows. What a loop believes is off by nearly the same for about a minute, so that a short stretch shows less
// of it than its ± says. Nothing with fewer than 20 rows.
std::optional<Measured> liveMountPart(const std::vector<RunRow>& rows, const std::vector<RowBelief>& beliefs,
                                      double window_s);

// Smoothed, of one axis, as a mean square, ″²: what is left of the mount's motion when a loop adds `load` to
// its track, over so many seconds, where what the track is off by stays about the same for `memory_s`. A
// track without ± is the truth.
Measured smoothedMountSquare(const std::vector<Measured>& track, const std::vector<double>& load,
                             double span_s, double memory_s);

} // namespace nordstjerna
