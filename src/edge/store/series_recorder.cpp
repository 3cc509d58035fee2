#include "edge/store/series_recorder.h"

#include "edge/store/file_names.h"
#include "edge/store/series_keeper.h"

namespace nordstjerna {

bool SeriesRecorder::take(const Series& series, const std::filesystem::path& frameFolder) {
    const std::scoped_lock guard(lock_);
    if (taken_ == 0) {
        setup_ = series.setup();
        if (series.solved())
            plane_ = series.solved()->plane;
    }
    for (; taken_ < series.frames().size(); ++taken_) {
        SeriesFrame frame = series.frames()[taken_];
        if (frame.file.empty())
            frame.file = SeriesKeeper::pathOf(frameFolder, series.setup(), frame).string();
        waiting_.push_back(std::move(frame));
    }
    return !waiting_.empty();
}

Expected<void> SeriesRecorder::begin() {
    return makeUnderFreeName(wanted_, [this](const std::filesystem::path& path) -> Expected<void> {
        auto made = SeriesWriter::create(path, setup_, plane_ ? &*plane_ : nullptr);
        if (!made)
            return tl::unexpected(made.error());
        writer_.emplace(std::move(*made));
        const std::scoped_lock guard(lock_);
        path_ = path;
        return {};
    });
}

Expected<void> SeriesRecorder::write() {
    const std::scoped_lock writing(writing_);
    for (;;) {
        SeriesFrame frame;
        {
            const std::scoped_lock guard(lock_);
            if (waiting_.empty())
                return {};
            frame = waiting_.front();
        }
        if (!writer_)
            if (auto done = begin(); !done)
                return done;
        if (auto done = writer_->append(frame); !done)
            return done;
        const std::scoped_lock guard(lock_);
        waiting_.pop_front();
    }
}

Expected<void> SeriesRecorder::finish(const SeriesSetup& setup, std::vector<SeriesFrame> frames,
                                      const std::optional<TangentPlane>& plane,
                                      const std::map<int, std::string>& files) {
    if (auto done = write(); !done)
        return done;
    const auto table = path();
    if (table.empty() || frames.empty())
        return {};
    for (SeriesFrame& f : frames) {
        const auto file = files.find(f.number);
        f.file = file == files.end() ? std::string() : file->second;
    }
    const std::scoped_lock writing(writing_);
    return writeSeriesTable(table, setup, frames, plane ? &*plane : nullptr, true);
}

std::filesystem::path SeriesRecorder::path() const {
    const std::scoped_lock guard(lock_);
    return path_;
}

} // namespace nordstjerna
