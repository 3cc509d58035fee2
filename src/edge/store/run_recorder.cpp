#include "edge/store/run_recorder.h"

namespace nordstjerna {

namespace {
// A power cut costs these rows at most; a crash of the program costs none.
constexpr size_t syncEvery = 5;
} // namespace

Expected<void> RunRecorder::update(const Run& run) {
    const std::scoped_lock guard(lock_);
    seen_ = run.rows.size();
    if (run.rows.empty())
        return {};
    const bool troubled = trouble_.has_value();
    const auto done = writeOn(run);
    if (done) {
        trouble_.reset();
        return {};
    }
    trouble_ = done.error();
    return troubled ? Expected<void>() : done;
}

Expected<void> RunRecorder::begin(const RunMeta& meta) {
    std::error_code error;
    std::filesystem::path path = wanted_;
    for (int n = 2;; ++n) {
        auto made = RunWriter::create(path, meta);
        if (made) {
            writer_.emplace(std::move(*made));
            return {};
        }
        if (!std::filesystem::exists(path, error) || n > 999)
            return tl::unexpected(made.error());
        path = wanted_;
        path.replace_filename(wanted_.stem().string() + "-" + std::to_string(n) +
                              wanted_.extension().string());
    }
}

Expected<void> RunRecorder::writeOn(const Run& run) {
    if (!writer_)
        if (auto done = begin(run.meta); !done)
            return done;
    while (written_ < run.rows.size()) {
        if (auto done = writer_->append(run.rows[written_]); !done)
            return done;
        // In the table from here on, whatever the disk says: it must not be written twice.
        if (++written_ % syncEvery == 0)
            if (auto done = writer_->sync(); !done)
                return done;
    }
    return {};
}

void RunRecorder::moveTo(std::filesystem::path path) {
    const std::scoped_lock guard(lock_);
    wanted_ = std::move(path);
    writer_.reset();
    written_ = 0;
}

std::filesystem::path RunRecorder::wanted() const {
    const std::scoped_lock guard(lock_);
    return wanted_;
}

RecordState RunRecorder::state() const {
    const std::scoped_lock guard(lock_);
    return {writer_ ? writer_->path() : std::filesystem::path(), written_, seen_ - written_, trouble_};
}

} // namespace nordstjerna
