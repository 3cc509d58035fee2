// Frame after frame for focusing: all stars measured, the typical half-flux diameter followed.
#pragma once

#include "core/base/measured.h"
#include "core/image/guide_star_choice.h"
#include "core/procedure/procedure.h"

namespace nordstjerna {

struct FocusPoint {
    double t_s = 0.0;
    Measured hfd_px; // median of the better stars; value 0 without stars
    int stars = 0;
    double peak_adu = 0.0; // greatest, of stars not left out
    double background_adu = 0.0;
};

class FocusWatch : public Procedure {
public:
    explicit FocusWatch(double exposure_s) : exposure_s_(exposure_s) {}
    Step advance(const Event& event) override;
    Progress progress() const override;
    std::string name() const override { return "Focus frames"; }

    void setExposure(double exposure_s) { exposure_s_ = exposure_s; } // from the next frame on
    const std::vector<FocusPoint>& points() const { return points_; }
    // Index of the sharpest point so far; −1 without stars.
    int best() const;
    std::shared_ptr<const Frame> frame() const { return frame_; }
    const StarField& field() const { return field_; }

private:
    double exposure_s_;
    std::optional<Instant> begin_;
    std::shared_ptr<const Frame> frame_;
    StarField field_;
    std::vector<FocusPoint> points_;
};

FocusPoint focusPoint(const StarField& field, double t_s);

} // namespace nordstjerna
