// Carries the rows of a growing run from the thread that records them to the one that shows them, each once,
// so that a frame costs the same late in the night as at its beginning.
#pragma once

#include <mutex>

#include "core/motion/run.h"

namespace nordstjerna {

class RunFeed {
public:
    // By the recorder, after each row. The last row may still have changed since it was put in.
    void put(const Run& run, const std::vector<RowBelief>& beliefs = {});
    // By the one that shows: brings its copy up to date.
    void bring(Run& run, std::vector<RowBelief>& beliefs);
    void bring(Run& run); // of a run without beliefs

private:
    std::mutex lock_;
    RunMeta meta_;
    std::vector<RunRow> rows_; // from row `from_` on
    std::vector<RowBelief> beliefs_;
    std::size_t from_ = 0;
};

} // namespace nordstjerna
