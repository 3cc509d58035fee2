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

bool StarWatch::leaving(int width, int height) const {
    constexpr double margin = 25.0;
    int inside = 0;
    for (const StarGroup::Member& m : group_.members()) {
        const double x = m.home.x + last_.dx;
        const double y = m.home.y + last_.dy;
        inside += x > margin && y > margin && x < width - margin && y < height - margin;
    }
    return !group_.empty() && 2 * inside < static_cast<int>(group_.members().size());
}

void StarWatch::renew(const Frame& frame, const std::vector<Star>& stars) {
    reacquire(frame); // the shift of the old stars on this very frame
    lostFrames_ = 0;
    std::vector<Star> home = stars;
    for (Star& s : home) {
        s.x -= last_.dx;
        s.y -= last_.dy;
    }
    group_ = StarGroup(home);
}

} // namespace nordstjerna
