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
// The camera that shows where the telescope points, wherever either would do.
inline CameraRole solvingCamera(const Rig& rig) {
    return rig.solveWithImaging ? CameraRole::imaging : CameraRole::guide;
}
// Expected scale, ″ per binned pixel.
double scaleOf(const Rig& rig, CameraRole camera);
// Pixels added up before solving a large frame: as many as leave it fine enough.
int solveBinning(const Rig& rig, CameraRole camera);
// The step that solves the frame that was taken by this camera, so many of its pixels added up, near where
// the mount believes to point. Where that is wrong, the solver looks everywhere.
SolveStep solveStepFor(const Rig& rig, CameraRole camera, int bin, const Event& taken);

} // namespace nordstjerna
