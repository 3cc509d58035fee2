// The frames of a series as an ECSV table, one row each.
#pragma once

#include <filesystem>

#include "core/series/series_frame.h"
#include "core/series/series_setup.h"

namespace nordstjerna {

// Whole or not at all; never over another file.
Expected<void> writeSeriesTable(const std::filesystem::path& path, const SeriesSetup& setup,
                                const std::vector<SeriesFrame>& frames);

} // namespace nordstjerna
