// A run as a document: figures, findings and pictures, HTML (one file, pictures as SVG) or PDF (A4).
#pragma once

#include <filesystem>

#include "core/findings/run_story.h"
#include "core/review/night_document.h"
#include "core/review/season.h"
#include "core/review/target_progress.h"

namespace nordstjerna {

// By the ending of the path. Whole or not at all; over an earlier one only with `replace`. Works without a
// screen and without an application object.
Expected<void> writeReport(const std::filesystem::path& path, const Run& run, const RunStory& story,
                           bool replace);

Expected<void> writeNightReport(const std::filesystem::path& path, const NightDocument& night, bool replace);

// A target over its nights; wanted_s: usable light, 0: none was named.
Expected<void> writeTargetReport(const std::filesystem::path& path, const std::string& target,
                                 const TargetProgress& progress, double wanted_s, const CivilTime& zone,
                                 bool replace);

Expected<void> writeMountReport(const std::filesystem::path& path, const std::string& mount,
                                const std::vector<SeasonLine>& lines, const std::vector<HardwareMark>& marks,
                                const CivilTime& zone, bool replace);

} // namespace nordstjerna
