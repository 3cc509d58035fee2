// Keeps the table of a growing series on disk, frame by frame, as RunRecorder does for runs.
#pragma once

#include <deque>
#include <map>
#include <mutex>

#include "core/procedure/series.h"
#include "edge/store/series_table.h"

namespace nordstjerna {

// Thread-safe.
class SeriesRecorder {
public:
    // Where that table exists already, "-2", "-3" … is put behind the name.
    explicit SeriesRecorder(std::filesystem::path path) : wanted_(std::move(path)) {}
    // Takes the frames that are new. frameFolder: where their files are going to lie. True: there is
    // something to write.
    bool take(const Series& series, const std::filesystem::path& frameFolder);
    // Writes what was taken; the table is made with the first frame.
    Expected<void> write();
    // The whole table anew, once more is known: how the sensor lies, and where each file really is.
    Expected<void> finish(const SeriesSetup& setup, std::vector<SeriesFrame> frames,
                          const std::optional<TangentPlane>& plane, const std::map<int, std::string>& files);
    std::filesystem::path path() const; // empty while nothing was written

private:
    Expected<void> begin();

    std::mutex writing_;      // held while the disk is waited for
    mutable std::mutex lock_; // never held meanwhile
    std::filesystem::path wanted_, path_;
    SeriesSetup setup_;
    std::optional<TangentPlane> plane_;
    std::deque<SeriesFrame> waiting_;
    size_t taken_ = 0;
    std::optional<SeriesWriter> writer_; // of the writing thread
};

} // namespace nordstjerna
