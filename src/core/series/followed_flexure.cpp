#include "core/series/followed_flexure.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {
// It changes with the hour angle: what was half an hour ago says little. A few frames there must be.
constexpr double lookBack_s = 1800.0;
constexpr size_t fewestLookedAt = 6;

std::span<const SeriesFrame> latest(std::span<const SeriesFrame> frames) {
    size_t from = frames.size();
    while (from > 0 && (frames.size() - from < fewestLookedAt ||
                        frames.back().start - frames[from - 1].start < lookBack_s))
        --from;
    return frames.subspan(from);
}
} // namespace

void FlexureFollower::look(const std::vector<SeriesFrame>& frames, bool wanted) {
    if (told_ && told_->takenBack)
        return;
    if (!wanted) {
        told_.reset();
        return;
    }
    const auto after = [&](size_t first) {
        return latest(std::span(frames).subspan(std::min(first, frames.size())));
    };
    const auto bending = creepOf(after(from_), CreepPart::flexure);
    if (!bending)
        return;
    if (!told_) {
        if (!bending->certain())
            return;
        told_.emplace();
        told_->afterFrame = static_cast<int>(frames.size());
        told_->before = *bending;
    }
    // As far as its ± bears it.
    const Measured speed = bending->speed_arcsec_min();
    const double share =
        speed.value > speed.sigma ? 1.0 - speed.sigma * speed.sigma / (speed.value * speed.value) : 0.0;
    told_->rate_arcsec_min = {-share * bending->east_arcsec_min.value,
                              -share * bending->north_arcsec_min.value};
    told_->left = creepOf(after(static_cast<size_t>(told_->afterFrame)), CreepPart::all);
    constexpr double clearly = 2.0;
    if (told_->left && told_->left->certain()) {
        const Measured left = told_->left->speed_arcsec_min();
        const Measured before = told_->before.speed_arcsec_min();
        if (left.value - before.value > clearly * std::hypot(left.sigma, before.sigma)) {
            told_->takenBack = true;
            told_->rate_arcsec_min = {};
        }
    }
}

void FlexureFollower::forget(size_t frames) {
    from_ = frames;
    if (told_ && !told_->takenBack)
        told_.reset();
}

SkyError FlexureFollower::rate_arcsec_min() const {
    return told_ ? told_->rate_arcsec_min : SkyError{};
}

} // namespace nordstjerna
