#include "core/rig/rig_answers.h"

#include "core/rig/rig_parts.h"

namespace nordstjerna {

namespace {
// Of what is usual for each kind.
void describeMount(Rig& rig, MountKind kind) {
    switch (kind) {
    case MountKind::worm:
        break;
    case MountKind::encoders:
        rig.mount.encoderRa = rig.mount.encoderDec = true;
        // Guided gently: an exposure that averages the air.
        rig.guiding.exposure_s = 4.0;
        break;
    case MountKind::harmonic:
        // It moves faster than long exposures can follow.
        rig.guiding.exposure_s = 1.0;
        break;
    case MountKind::tracker:
        rig.mount.decMotor = false;
        break;
    }
}

std::string either(const std::string& name, const char* otherwise) {
    return name.empty() ? otherwise : name;
}
} // namespace

Expected<Rig> rigFrom(const RigAnswers& a, const std::function<std::string()>& newId) {
    Rig rig;
    describeMount(rig, a.mount);
    rig.imagingOptics = a.telescope;
    rig.imagingCamera = a.imaging;
    rig.guideCamera = a.guide;
    rig.offAxis = a.offAxis;
    rig.guideOptics = a.offAxis ? a.telescope : a.guideScope;
    rig.site.latitude = Angle::fromDeg(a.latitude_deg);
    rig.site.longitude = Angle::fromDeg(a.longitude_deg);
    setPartIdentity(rig, RigPart::mount, newId(), either(a.mountName, "My mount"));
    setPartIdentity(rig, RigPart::optics, newId(), either(a.opticsName, "My telescope"));
    setPartIdentity(rig, RigPart::site, newId(), either(a.siteName, "My site"));
    nameWhole(rig);
    if (const auto possible = validateRig(rig); !possible)
        return tl::unexpected(possible.error());
    return rig;
}

} // namespace nordstjerna
