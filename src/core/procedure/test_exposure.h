// One frame of the imaging camera, whatever else goes on.
#pragma once

#include "core/procedure/procedure.h"

namespace nordstjerna {

class TestExposure : public Procedure {
public:
    explicit TestExposure(double exposure_s) : exposure_s_(exposure_s) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Test exposure"); }
    bool besideGuiding() const override { return true; }
    const std::optional<ImageTaken>& image() const { return image_; }

protected:
    Step advance(const Event& event) override;

private:
    double exposure_s_;
    std::optional<ImageTaken> image_;
};

} // namespace nordstjerna
