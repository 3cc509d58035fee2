// Solves where the telescope stands and tells the mount. Nothing is moved: the first act of an evening,
// before the mount knows anything of the sky.
#pragma once

#include "core/procedure/both_fields.h"

namespace nordstjerna {

class SyncHere : public Procedure {
public:
    SyncHere(const Rig& rig, CameraRole camera, double exposure_s)
        : rig_(rig), look_(rig, camera, exposure_s) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Solving and syncing"); }
    const std::optional<SolvedFrame>& solved() const { return look_.solved(); }
    // How far off the mount was; absent before the sync.
    const std::optional<Angle>& off() const { return off_; }

protected:
    Step advance(const Event& event) override;

private:
    Rig rig_;
    FieldLook look_;
    std::optional<Angle> off_;
    bool synced_ = false;
};

} // namespace nordstjerna
