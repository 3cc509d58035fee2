// A run as a table for other programs: by the ending of the name CSV (with units in the names), FITS (a
// binary table) or ECSV (our own, whole).
#pragma once

#include <filesystem>

#include "core/motion/run.h"

namespace nordstjerna {

// Whole or not at all; never over another file.
Expected<void> exportRun(const std::filesystem::path& path, const Run& run);

} // namespace nordstjerna
