// The frames of a series as an ECSV table, one row each.
#pragma once

#include <filesystem>

#include "core/series/series_frame.h"
#include "core/series/series_setup.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

// Whole or not at all; never over another file. plane: of a solved frame of the series, or null: how the
// sensor lies on the sky.
Expected<void> writeSeriesTable(const std::filesystem::path& path, const SeriesSetup& setup,
                                const std::vector<SeriesFrame>& frames, const TangentPlane* plane = nullptr);

// What a table of a series tells of it.
struct SeriesRecord {
    std::string target;
    double imageScale_arcsec_px = 0.0;
    std::vector<SeriesFrame> frames; // shapes of single stars are not kept
    std::optional<TangentPlane> plane;
};
Expected<SeriesRecord> readSeriesTable(const std::filesystem::path& path);

} // namespace nordstjerna
