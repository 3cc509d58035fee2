// Run tables and calibration tables on disk (ECSV 1.0). See docs/files.md for columns and signs.
#pragma once

#include <filesystem>
#include <fstream>

#include "core/motion/run.h"
#include "core/rates/calibration.h"

namespace nordstjerna {

Expected<Run> readRunTable(const std::filesystem::path& path);

// Writes a run as it grows: the header at once, then one flushed line a row, readable after a crash.
class RunWriter {
public:
    // Never overwrites.
    static Expected<RunWriter> create(const std::filesystem::path& path, const RunMeta& meta);
    Expected<void> append(const RunRow& row);
    const std::filesystem::path& path() const { return path_; }

private:
    RunWriter(std::filesystem::path path, std::ofstream file, bool worm)
        : path_(std::move(path)), file_(std::move(file)), worm_(worm) {}
    std::filesystem::path path_;
    std::ofstream file_;
    bool worm_;
};

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
