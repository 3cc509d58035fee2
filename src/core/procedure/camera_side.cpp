#include "core/procedure/camera_side.h"

#include <algorithm>
#include <cmath>

#include "core/image/bin_frame.h"
#include "core/rig/scales.h"

namespace nordstjerna {

double scaleOf(const Rig& rig, CameraRole camera) {
    const Scales s = scalesOf(rig);
    return camera == CameraRole::guide ? s.guide_arcsec_px : s.image_arcsec_px;
}

int solveBinning(const Rig& rig, CameraRole camera) {
    const CameraSpec& c = sensorOf(rig, camera);
    // A couple of million pixels are enough to solve, but stars must not shrink to single pixels.
    constexpr double coarsest_arcsec_px = 3.0;
    const double wanted = std::sqrt(c.binnedWidth() * c.binnedHeight() / 2.0e6);
    const double allowed = coarsest_arcsec_px / scaleOf(rig, camera);
    return std::clamp(static_cast<int>(std::min(wanted + 0.5, allowed)), 1, 4);
}

SolveStep solveStepFor(const Rig& rig, CameraRole camera, int bin, const Event& taken) {
    const auto& frame = std::get<FrameTaken>(taken.what).frame;
    SolveStep solve;
    solve.frame = bin > 1 ? std::make_shared<const Frame>(binFrame(*frame, bin)) : frame;
    solve.scale_arcsec_px = scaleOf(rig, camera) * bin;
    solve.near = ObservedFrame(rig.site, taken.now).icrsFrom(taken.mount.pointing);
    return solve;
}

} // namespace nordstjerna
