// One look at where the telescope points. Nothing is moved.
#pragma once

#include "core/procedure/both_fields.h"

namespace nordstjerna {

class SkyLook : public Procedure {
public:
    SkyLook(const Rig& rig, CameraRole camera, double exposure_s) : look_(rig, camera, exposure_s) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Looking where the telescope points"); }
    bool givesWay() const override { return true; }
    const std::optional<SolvedFrame>& solved() const { return look_.solved(); }

protected:
    Step advance(const Event& event) override;

private:
    FieldLook look_;
};

} // namespace nordstjerna
