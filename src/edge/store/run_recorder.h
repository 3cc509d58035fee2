// Keeps the table of a growing run on disk up to date, row by row. Taking a row costs nothing but memory;
// writing may wait for a slow disk and is another thread's business.
#pragma once

#include <deque>
#include <mutex>
#include <optional>

#include "edge/store/run_table.h"

namespace nordstjerna {

// What of the run is on disk, as a window tells it.
struct RecordState {
    std::filesystem::path path;     // of the table; empty while nothing was written
    size_t rows = 0;                // in it
    size_t waiting = 0;             // measured, but only in memory
    std::optional<Problem> trouble; // why the last try failed

    bool complete() const { return waiting == 0; }
};

// Thread-safe.
class RunRecorder {
public:
    // Where that table exists already, "-2", "-3" … is put behind the name: no two runs share a file.
    explicit RunRecorder(std::filesystem::path path) : wanted_(std::move(path)) {}
    // Takes what has been added since the last call. True: there is something to write.
    bool take(const Run& run);
    // Writes what was taken; the file is made with the first row. After a failure the next call goes on where
    // the file ends. One thread at a time.
    Expected<void> write();
    // Both at once, for those who may wait.
    Expected<void> update(const Run& run);
    // From the next write on the whole run is kept there instead.
    void moveTo(std::filesystem::path path, const Run& run);
    RecordState state() const;
    std::filesystem::path wanted() const;

private:
    Expected<void> begin();
    Expected<void> writeOn();

    std::mutex writing_;      // held while the disk is waited for
    mutable std::mutex lock_; // never held meanwhile
    std::filesystem::path wanted_, path_;
    RunMeta meta_;
    std::deque<RunRow> waiting_;
    size_t taken_ = 0, written_ = 0;
    bool moved_ = false;
    std::optional<Problem> trouble_;
    std::optional<RunWriter> writer_; // of the writing thread
};

} // namespace nordstjerna
