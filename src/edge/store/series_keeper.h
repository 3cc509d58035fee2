// Keeps the frames of a series on disk: one FITS file each, named by target, time and exposure, with what was
// known of its guiding in the header; whole or not at all, never over another file. A thread of its own waits
// for the disk. A frame that cannot be written stays in memory and is tried again.
#pragma once

#include <condition_variable>
#include <deque>
#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

#include "core/procedure/series.h"

namespace nordstjerna {

class SeriesKeeper {
public:
    // Frames go to folder/target/.
    explicit SeriesKeeper(std::filesystem::path folder);
    // Goes on writing until all is done; what fails then is given up after some seconds.
    ~SeriesKeeper();
    SeriesKeeper(const SeriesKeeper&) = delete;
    SeriesKeeper& operator=(const SeriesKeeper&) = delete;

    // Between two steps of the series, in its thread: hands over what is new and tells the series what has
    // become of the rest. Waits only where more than a few frames are under way to a slow disk.
    void keep(Series& series);
    // The series has ended: until all is written, or for so long. False: not all; it is tried on.
    bool finish(double patience_s);
    // From now on there.
    void moveTo(std::filesystem::path folder);
    std::filesystem::path folder() const;
    int saved() const;
    int waiting() const;
    // Why the last try failed.
    std::optional<Problem> trouble() const;
    // Where frames lie by now, by their numbers.
    std::map<int, std::string> files() const;

    // "NGC-891_20261014T213305_R_180s_007.fits", without the filter where none is known: no blanks or signs
    // that a file system minds.
    static std::string nameOf(const SeriesSetup& setup, const SeriesFrame& frame);
    // Where it goes unless a file lies there already.
    static std::filesystem::path pathOf(const std::filesystem::path& folder, const SeriesSetup& setup,
                                        const SeriesFrame& frame);

private:
    struct Waiting {
        SeriesSetup setup;
        SeriesFrame frame;
        std::shared_ptr<const Frame> pixels;
    };
    static Expected<std::string> write(const std::filesystem::path& folder, const Waiting& w);
    void run();

    mutable std::mutex lock_;
    std::condition_variable changed_;
    std::filesystem::path folder_;
    std::deque<Waiting> waiting_;
    std::map<int, std::string> files_;
    std::optional<Problem> trouble_;
    size_t seen_ = 0, told_ = 0; // frames; of those written
    bool ending_ = false, again_ = false;
    std::thread writer_;
};

} // namespace nordstjerna
