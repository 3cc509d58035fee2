// Keeps the table of a growing run on disk up to date, row by row.
#pragma once

#include <optional>

#include "edge/store/run_table.h"

namespace nordstjerna {

class RunRecorder {
public:
    explicit RunRecorder(std::filesystem::path path) : path_(std::move(path)) {}
    // Writes what has been added since the last call; the file is made with the first row. A failure is told
    // once; from then on nothing more is written and the run itself goes on.
    Expected<void> update(const Run& run);
    size_t written() const { return written_; }
    const std::filesystem::path& path() const { return path_; }

private:
    std::filesystem::path path_;
    std::optional<RunWriter> writer_;
    size_t written_ = 0;
    bool failed_ = false;
};

} // namespace nordstjerna
