// The frames of a series as an ECSV table, one row each.
#pragma once

#include <filesystem>

#include "core/series/series_frame.h"
#include "core/series/series_setup.h"
#include "core/sky/tangent_plane.h"
#include "edge/store/append_file.h"

namespace nordstjerna {

// Whole or not at all; without `replace` never over another file. plane: of a solved frame of the series, or
// null: how the sensor lies on the sky.
Expected<void> writeSeriesTable(const std::filesystem::path& path, const SeriesSetup& setup,
                                const std::vector<SeriesFrame>& frames, const TangentPlane* plane = nullptr,
                                bool replace = false);

// The same, growing frame by frame; each is on the disk itself when append() returns.
class SeriesWriter {
public:
    // Never overwrites.
    static Expected<SeriesWriter> create(const std::filesystem::path& path, const SeriesSetup& setup,
                                         const TangentPlane* plane);
    Expected<void> append(const SeriesFrame& frame);
    const std::filesystem::path& path() const { return file_.path(); }

private:
    SeriesWriter(AppendFile file, double scale) : file_(std::move(file)), scale_(scale) {}
    AppendFile file_;
    double scale_; // ″ a pixel
    std::optional<Instant> first_;
};

// What a table of a series tells of it.
struct SeriesRecord {
    std::string target;
    double imageScale_arcsec_px = 0.0;
    std::vector<SeriesFrame> frames; // shapes of single stars are not kept
    std::optional<TangentPlane> plane;
};
Expected<SeriesRecord> readSeriesTable(const std::filesystem::path& path);

} // namespace nordstjerna
