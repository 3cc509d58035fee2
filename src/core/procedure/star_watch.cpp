#include "core/procedure/star_watch.h"

#include <algorithm>

namespace nordstjerna {

TrackStep StarWatch::look(double exposure_s) const {
    TrackStep step;
    step.exposure_s = exposure_s;
    const double search = std::min(search_px_ + 4.0 * lostFrames_, 60.0);
    for (const StarGroup::Member& m : group_.members())
        step.stars.push_back({m.home.x + last_.dx, m.home.y + last_.dy, search});
    return step;
}

std::optional<FieldShift> StarWatch::update(const StarsTracked& tracked) {
    const auto shift = group_.update(tracked.stars);
    if (shift) {
        last_ = *shift;
        lostFrames_ = 0;
    } else {
        ++lostFrames_;
    }
    return shift;
}

} // namespace nordstjerna
