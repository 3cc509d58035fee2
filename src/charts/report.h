// A run as a document: figures, findings and pictures, HTML (one file, pictures as SVG) or PDF (A4).
#pragma once

#include <filesystem>

#include "core/findings/run_story.h"
#include "core/review/night_document.h"

namespace nordstjerna {

// By the ending of the path. Whole or not at all; over an earlier one only with `replace`. Works without a
// screen and without an application object.
Expected<void> writeReport(const std::filesystem::path& path, const Run& run, const RunStory& story,
                           bool replace);

Expected<void> writeNightReport(const std::filesystem::path& path, const NightDocument& night, bool replace);

} // namespace nordstjerna
