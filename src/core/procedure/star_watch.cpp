#include "core/procedure/star_watch.h"

#include <algorithm>
#include <cmath>

#include "core/image/star_detect.h"
#include "core/image/star_match.h"

namespace nordstjerna {

TrackStep StarWatch::look(double exposure_s) const {
    TrackStep step;
    step.exposure_s = exposure_s;
    step.shape = shape_;
    // A wide window holds strangers; only several stars together are safe from them.
    const double search = few() ? search_px_ : std::min(search_px_ + 4.0 * lostFrames_, 60.0);
    for (const StarGroup::Member& m : group_.members())
        step.stars.push_back({m.home.x + last_.dx, m.home.y + last_.dy, search});
    return step;
}

std::optional<FieldShift> StarWatch::update(const StarsTracked& tracked) {
    constexpr int forgiven = 2;
    const bool doubtful = few() && lostFrames_ > forgiven && !recognised_;
    const auto shift = doubtful ? std::nullopt : group_.update(tracked.stars);
    if (shift) {
        recognised_ = false;
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
    std::optional<FieldJump> jump;
    if (!few())
        jump = findJump(home, field->stars);
    if (!jump && pattern_.size() >= 3)
        jump = findPattern(pattern_, field->stars, static_cast<double>(frame.width) * frame.height);
    else if (!jump && few())
        jump = nearby(field->stars);
    if (!jump)
        return false;
    last_.dx = jump->dx;
    last_.dy = jump->dy;
    group_.expectAt(jump->dx, jump->dy, field->stars);
    recognised_ = true;
    return true;
}

// A field so poor that it has no pattern: the one star near where the guide star was, if there is only one.
std::optional<FieldJump> StarWatch::nearby(const std::vector<Star>& seen) const {
    constexpr double reach_px = 40.0;
    const StarGroup::Member& m = group_.members().front();
    std::optional<FieldJump> found;
    for (const Star& s : seen) {
        const double dx = s.x - m.home.x;
        const double dy = s.y - m.home.y;
        if (std::hypot(dx - last_.dx, dy - last_.dy) > reach_px)
            continue;
        if (found)
            return std::nullopt;
        if (std::abs(std::log(s.flux / m.expected)) < std::log(4.0))
            found = FieldJump{dx, dy, 1};
    }
    return found;
}

bool StarWatch::saturated() const {
    const auto& stars = group_.members();
    return std::any_of(stars.begin(), stars.end(),
                       [](const StarGroup::Member& m) { return m.seen && m.seen->saturated; });
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

void StarWatch::renew(const Frame& frame, const std::vector<Star>& stars, std::vector<Star> pattern) {
    reacquire(frame); // the shift of the old stars on this very frame
    lostFrames_ = 0;
    std::vector<Star> home = stars;
    for (Star& s : home) {
        s.x -= last_.dx;
        s.y -= last_.dy;
    }
    for (Star& s : pattern) {
        s.x -= last_.dx;
        s.y -= last_.dy;
    }
    group_ = StarGroup(home);
    pattern_ = std::move(pattern);
}

} // namespace nordstjerna
