#include "edge/store/run_recorder.h"

#include "edge/store/file_names.h"

namespace nordstjerna {

namespace {
// A power cut costs these rows at most; a crash of the program costs none that was written.
constexpr size_t syncEvery = 5;
} // namespace

bool RunRecorder::take(const Run& run) {
    const std::scoped_lock guard(lock_);
    if (taken_ == 0)
        meta_ = run.meta;
    for (; taken_ < run.rows.size(); ++taken_)
        waiting_.push_back(run.rows[taken_]);
    return !waiting_.empty();
}

Expected<void> RunRecorder::update(const Run& run) {
    const bool troubled = state().trouble.has_value();
    if (!take(run))
        return {};
    const auto done = write();
    return troubled && !done ? Expected<void>() : done;
}

Expected<void> RunRecorder::write() {
    const std::scoped_lock writing(writing_);
    auto done = writeOn();
    const std::scoped_lock guard(lock_);
    if (done)
        trouble_.reset();
    else
        trouble_ = done.error();
    return done;
}

Expected<void> RunRecorder::begin() {
    std::filesystem::path wanted;
    RunMeta meta;
    {
        const std::scoped_lock guard(lock_);
        wanted = wanted_;
        meta = meta_;
    }
    return makeUnderFreeName(wanted, [&](const std::filesystem::path& path) -> Expected<void> {
        auto made = RunWriter::create(path, meta);
        if (!made)
            return tl::unexpected(made.error());
        writer_.emplace(std::move(*made));
        const std::scoped_lock guard(lock_);
        path_ = path;
        return {};
    });
}

Expected<void> RunRecorder::writeOn() {
    for (;;) {
        RunRow row;
        {
            const std::scoped_lock guard(lock_);
            if (std::exchange(moved_, false))
                writer_.reset();
            if (waiting_.empty())
                return {};
            row = waiting_.front();
        }
        if (!writer_)
            if (auto done = begin(); !done)
                return done;
        if (auto done = writer_->append(row); !done)
            return done;
        size_t written = 0;
        {
            // In the table from here on, whatever the disk says: it must not be written twice.
            const std::scoped_lock guard(lock_);
            if (moved_)
                continue;
            waiting_.pop_front();
            written = ++written_;
        }
        if (written % syncEvery == 0)
            if (auto done = writer_->sync(); !done)
                return done;
    }
}

void RunRecorder::moveTo(std::filesystem::path path, const Run& run) {
    const std::scoped_lock guard(lock_);
    wanted_ = std::move(path);
    path_.clear();
    moved_ = true;
    meta_ = run.meta;
    waiting_.assign(run.rows.begin(), run.rows.end());
    taken_ = run.rows.size();
    written_ = 0;
}

std::filesystem::path RunRecorder::wanted() const {
    const std::scoped_lock guard(lock_);
    return wanted_;
}

RecordState RunRecorder::state() const {
    const std::scoped_lock guard(lock_);
    return {path_, written_, waiting_.size(), trouble_};
}

} // namespace nordstjerna
