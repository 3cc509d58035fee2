// Watching a group of stars frame after frame: where to look next, and how far the field has moved. A lost
// field is searched for in a growing window about where it was last seen.
#pragma once

#include "core/guide/star_group.h"
#include "core/image/star_match.h"
#include "core/procedure/procedure.h"

namespace nordstjerna {

class StarWatch {
public:
    StarWatch() = default;
    // `pattern`: all stars of the frame they were chosen on. One or two guide stars are found again by it
    // only: by brightness alone a stranger would do as well.
    explicit StarWatch(const std::vector<Star>& stars, std::vector<Star> pattern = {},
                       double search_px = 10.0)
        : group_(stars), pattern_(std::move(pattern)), search_px_(search_px) {}

    TrackStep look(double exposure_s) const;
    // Absent while the field is lost. One or two stars that were lost for more than a frame or two must first
    // be recognised on a whole frame: a window shows a stranger as well.
    std::optional<FieldShift> update(const StarsTracked& tracked);

    // When windows no longer find the field, a whole frame may: true once the stars are found on it.
    bool wantsFullFrame() const {
        return lostFrames_ == 2 || (lostFrames_ > 2 && lostFrames_ % (few() ? 3 : 5) == 0);
    }
    bool reacquire(const Frame& frame);

    // True while most of the stars are about to leave a frame of this size, or have left it.
    bool leaving(int width, int height) const;
    // Other stars take over; the shift goes on from where it stood.
    void renew(const Frame& frame, const std::vector<Star>& stars, std::vector<Star> pattern);

    // Stars of these optics are measured by their own shape.
    void useShape(std::shared_ptr<const StarShape> shape) { shape_ = std::move(shape); }
    const StarGroup& group() const { return group_; }
    bool saturated() const; // one of the stars, in the last frame
    int lostFrames() const { return lostFrames_; }

private:
    std::optional<FieldJump> nearby(const std::vector<Star>& seen) const;
    bool few() const { return group_.members().size() < 3; }
    StarGroup group_;
    std::vector<Star> pattern_;
    std::shared_ptr<const StarShape> shape_;
    double search_px_ = 10.0;
    FieldShift last_;
    int lostFrames_ = 0;
    bool recognised_ = false; // on a whole frame, since it was lost
};

} // namespace nordstjerna
