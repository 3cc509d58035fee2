// Keeps the frames of a series on disk: one FITS file each, named by target, time and exposure, with what was
// known of its guiding in the header; never over another file. A frame that cannot be written stays in memory
// and is tried again.
#pragma once

#include <deque>
#include <filesystem>
#include <memory>
#include <mutex>

#include "core/procedure/series.h"

namespace nordstjerna {

class SeriesKeeper {
public:
    // Frames go to folder/target/.
    explicit SeriesKeeper(std::filesystem::path folder) : folder_(std::move(folder)) {}

    // Between two steps of the series, in its thread: writes what is new, and tells the series.
    void keep(Series& series);
    // From now on there.
    void moveTo(std::filesystem::path folder);
    std::filesystem::path folder() const;
    int saved() const;
    int waiting() const;

    // "NGC-891_20261014T213305_180s_007.fits": no blanks or signs that a file system minds.
    static std::string nameOf(const SeriesSetup& setup, const SeriesFrame& frame);

private:
    struct Waiting {
        SeriesFrame frame;
        std::shared_ptr<const Frame> pixels;
    };
    Expected<std::string> write(const SeriesSetup& setup, const Waiting& w) const;

    mutable std::mutex lock_;
    std::filesystem::path folder_;
    std::deque<Waiting> waiting_;
    size_t seen_ = 0;
    int saved_ = 0;
};

} // namespace nordstjerna
