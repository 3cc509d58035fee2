// Run tables and calibration tables on disk (ECSV 1.0). See docs/files.md for columns and signs.
#pragma once

#include <filesystem>

#include "core/calibration/calibration.h"
#include "core/motion/run.h"
#include "edge/store/append_file.h"

namespace nordstjerna {

Expected<Run> readRunTable(const std::filesystem::path& path);

// Writes a run as it grows: the header at once, then one line a row, each whole or not at all; readable after
// a crash at any moment.
class RunWriter {
public:
    // Never overwrites.
    static Expected<RunWriter> create(const std::filesystem::path& path, const RunMeta& meta);
    Expected<void> append(const RunRow& row);
    Expected<void> sync() { return file_.sync(); }
    const std::filesystem::path& path() const { return file_.path(); }

private:
    RunWriter(AppendFile file, bool worm) : file_(std::move(file)), worm_(worm) {}
    AppendFile file_;
    bool worm_;
};

// Whole or not at all; never over another file.
Expected<void> writeRunTable(const std::filesystem::path& path, const Run& run);

struct CalibrationTable {
    RunMeta meta;
    std::vector<CalibrationSample> samples;

    // What the fit needs, from the header; fails when the scale is missing.
    Expected<CalibrationSetup> setup() const;
};

Expected<CalibrationTable> readCalibrationTable(const std::filesystem::path& path);
Expected<void> writeCalibrationTable(const std::filesystem::path& path, const CalibrationTable& table);

} // namespace nordstjerna
