#include "core/procedure/star_watch.h"

#include <algorithm>

#include "core/image/star_detect.h"
#include "core/image/star_match.h"

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

bool StarWatch::reacquire(const Frame& frame) {
    ++lostFrames_; // until the windows confirm it
    const auto field = detectStars(frame);
    if (!field)
        return false;
    std::vector<Star> home;
    for (const StarGroup::Member& m : group_.members())
        home.push_back(m.home);
    const auto jump = findJump(home, field->stars);
    if (!jump)
        return false;
    last_.dx = jump->dx;
    last_.dy = jump->dy;
    return true;
}

} // namespace nordstjerna
