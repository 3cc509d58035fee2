// What of a rig belongs to one of its cameras.
#pragma once

#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

inline const Optics& opticsOf(const Rig& rig, CameraRole camera) {
    return camera == CameraRole::guide ? rig.guidingOptics() : rig.imagingOptics;
}
inline const CameraSpec& sensorOf(const Rig& rig, CameraRole camera) {
    return camera == CameraRole::guide ? rig.guideCamera : rig.imagingCamera;
}
inline FocuserSpec& focuserSpecOf(Rig& rig, CameraRole camera) {
    return camera == CameraRole::guide ? rig.guideFocuser : rig.imagingFocuser;
}
inline const FocuserSpec& focuserSpecOf(const Rig& rig, CameraRole camera) {
    return camera == CameraRole::guide ? rig.guideFocuser : rig.imagingFocuser;
}
// Expected scale, ″ per binned pixel.
double scaleOf(const Rig& rig, CameraRole camera);

} // namespace nordstjerna
