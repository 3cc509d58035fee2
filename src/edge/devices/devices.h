// All that a procedure may be given to work with.
#pragma once

#include <functional>

#include "edge/devices/camera.h"
#include "edge/devices/mount.h"

namespace nordstjerna {

// Solves one frame; the runner does not care by what engine.
using SolveFunction = std::function<Expected<SolvedFrame>(const SolveStep&, const StopFlag&)>;
// Exposes and measures the expected stars. The usual one takes camera windows and measures them.
using TrackFunction = std::function<Expected<StarsTracked>(const TrackStep&, const StopFlag&)>;

struct Devices {
    Mount* mount = nullptr;
    Camera* guideCamera = nullptr;    // its frames come ready to be measured
    Camera* rawGuideCamera = nullptr; // as the sensor gives them; absent: the same
    Camera* imagingCamera = nullptr;  // may be absent
    Clock* clock = nullptr;
    SolveFunction solve;
    TrackFunction track;
};

// The usual TrackFunction: windows from the camera, measured by our own star measuring.
TrackFunction trackByCamera(Camera& camera);

} // namespace nordstjerna
