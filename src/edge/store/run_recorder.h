// Keeps the table of a growing run on disk up to date, row by row.
#pragma once

#include <mutex>
#include <optional>

#include "edge/store/run_table.h"

namespace nordstjerna {

// What of the run is on disk, as a window tells it.
struct RecordState {
    std::filesystem::path path;     // of the table; empty while nothing was measured
    size_t rows = 0;                // in it
    size_t waiting = 0;             // measured, but only in memory
    std::optional<Problem> trouble; // why

    bool complete() const { return waiting == 0; }
};

// update() is called by the thread that records, the rest from any.
class RunRecorder {
public:
    // Where that table exists already, "-2", "-3" … is put behind the name: no two runs share a file.
    explicit RunRecorder(std::filesystem::path path) : wanted_(std::move(path)) {}
    // Writes what has been added since the last call; the file is made with the first row. After a failure
    // the next call goes on where the file ends; the failure is returned once until it is over.
    Expected<void> update(const Run& run);
    // From the next update on the whole run is kept there instead.
    void moveTo(std::filesystem::path path);
    RecordState state() const;
    std::filesystem::path wanted() const;

private:
    Expected<void> writeOn(const Run& run);
    Expected<void> begin(const RunMeta& meta);

    mutable std::mutex lock_;
    std::filesystem::path wanted_;
    std::optional<RunWriter> writer_;
    size_t written_ = 0;
    size_t seen_ = 0;
    std::optional<Problem> trouble_;
};

} // namespace nordstjerna
