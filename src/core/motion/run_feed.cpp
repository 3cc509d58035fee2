#include "core/motion/run_feed.h"

namespace nordstjerna {

void RunFeed::put(const Run& run, const std::vector<RowBelief>& beliefs) {
    const std::scoped_lock guard(lock_);
    if (from_ == 0 && rows_.empty())
        meta_ = run.meta;
    // The last row put in is taken again, in case a failed pulse was noted in it.
    if (!rows_.empty())
        rows_.pop_back();
    else if (from_ > 0)
        --from_;
    beliefs_.resize(std::min(beliefs_.size(), rows_.size()));
    for (std::size_t i = from_ + rows_.size(); i < run.rows.size(); ++i) {
        rows_.push_back(run.rows[i]);
        if (i < beliefs.size())
            beliefs_.push_back(beliefs[i]);
    }
}

void RunFeed::bring(Run& run) {
    std::vector<RowBelief> none;
    bring(run, none);
}

void RunFeed::bring(Run& run, std::vector<RowBelief>& beliefs) {
    const std::scoped_lock guard(lock_);
    run.meta = meta_;
    run.rows.resize(std::min(run.rows.size(), from_));
    beliefs.resize(std::min(beliefs.size(), from_));
    from_ += rows_.size();
    run.rows.insert(run.rows.end(), std::make_move_iterator(rows_.begin()),
                    std::make_move_iterator(rows_.end()));
    beliefs.insert(beliefs.end(), beliefs_.begin(), beliefs_.end());
    rows_.clear();
    beliefs_.clear();
}

} // namespace nordstjerna
