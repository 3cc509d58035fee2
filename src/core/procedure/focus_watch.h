// Frame after frame for focusing: all stars measured, the typical half-flux diameter followed.
#pragma once

#include "core/base/measured.h"
#include "core/focus/mask_read_out.h"
#include "core/image/guide_star_choice.h"
#include "core/image/uneven_light.h"
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
    // With `mask` every frame is also read for the spikes of a mask.
    explicit FocusWatch(double exposure_s, CameraRole camera = CameraRole::guide, bool mask = false)
        : exposure_s_(exposure_s), camera_(camera), mask_(mask) {}
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Focus frames"); }
    bool needsMount() const override { return false; }
    bool givesWay() const override { return true; }
    bool besideGuiding() const override { return camera_ == CameraRole::imaging; }

    void setExposure(double exposure_s) { exposure_s_ = exposure_s; } // from the next frame on
    const std::vector<FocusPoint>& points() const { return points_; }
    // Index of the sharpest point so far; −1 without stars.
    int best() const;
    std::shared_ptr<const Frame> frame() const { return frame_; }
    const StarField& field() const { return field_; }
    // Of the last frame of the guide camera.
    const std::optional<UnevenLight>& unevenLight() const { return unevenLight_; }
    const std::optional<Expected<MaskReadOut>>& mask() const { return read_; } // of the last frame

private:
    double exposure_s_;
    CameraRole camera_;
    bool mask_;
    std::optional<Expected<MaskReadOut>> read_;
    std::optional<Instant> begin_;
    std::shared_ptr<const Frame> frame_;
    StarField field_;
    std::optional<UnevenLight> unevenLight_;
    std::vector<FocusPoint> points_;
};

FocusPoint focusPoint(const StarField& field, double t_s);

// By how much the size scatters from frame to frame, px, standard deviation over the last dozen or so frames:
// the air's part, which the stars of one frame share and their ± does not know. A steady change of focus
// drops out. Absent with fewer than six frames with stars.
std::optional<double> frameToFrame(const std::vector<FocusPoint>& points);

} // namespace nordstjerna
