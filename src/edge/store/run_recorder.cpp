#include "edge/store/run_recorder.h"

namespace nordstjerna {

Expected<void> RunRecorder::update(const Run& run) {
    if (failed_ || run.rows.empty())
        return {};
    if (!writer_) {
        auto made = RunWriter::create(path_, run.meta);
        if (!made) {
            failed_ = true;
            return tl::unexpected(made.error());
        }
        writer_.emplace(std::move(*made));
    }
    for (; written_ < run.rows.size(); ++written_)
        if (auto done = writer_->append(run.rows[written_]); !done) {
            failed_ = true;
            return done;
        }
    return {};
}

} // namespace nordstjerna
