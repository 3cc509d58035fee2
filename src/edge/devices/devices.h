// All that a procedure may be given to work with.
#pragma once

#include <functional>

#include "edge/devices/camera.h"
#include "edge/devices/cooler_keeper.h"
#include "edge/devices/filter_wheel.h"
#include "edge/devices/focuser.h"
#include "edge/devices/guide_link.h"
#include "edge/devices/mount.h"
#include "edge/devices/rotator.h"

namespace nordstjerna {

// Solves one frame; the runner does not care by what engine.
using SolveFunction = std::function<Expected<SolvedFrame>(const SolveStep&, const StopFlag&)>;
// Exposes and measures the expected stars. The usual one takes camera windows and measures them.
using TrackFunction = std::function<Expected<StarsTracked>(const TrackStep&, const StopFlag&)>;

// Exposes a frame of the imaging camera and measures it.
using ImageFunction = std::function<Expected<ImageTaken>(const ImageStep&, const StopFlag&)>;

struct Devices {
    Mount* mount = nullptr;
    Camera* guideCamera = nullptr;     // its frames come ready to be measured
    Camera* rawGuideCamera = nullptr;  // as the sensor gives them; absent: the same
    Camera* imagingCamera = nullptr;   // may be absent
    Focuser* imagingFocuser = nullptr; // may be absent, as may
    Focuser* guideFocuser = nullptr;   // this one
    FilterWheel* wheel = nullptr;      // before the imaging camera; may be absent, as may
    Rotator* rotator = nullptr;        // what turns it
    Cooler* imagingCooler = nullptr;   // and its cooler
    CoolerKeeper* cooling = nullptr;   // and who leads that: there wherever procedures cool
    Clock* clock = nullptr;
    SolveFunction solve;
    TrackFunction track;
    ImageFunction image;        // absent: no imaging camera
    GuideLink* guide = nullptr; // absent: nothing guides beside
};

inline Focuser* focuserOf(const Devices& devices, CameraRole camera) {
    return camera == CameraRole::guide ? devices.guideFocuser : devices.imagingFocuser;
}

// The usual TrackFunction: windows from the camera, measured by our own star measuring.
TrackFunction trackByCamera(Camera& camera);
// The usual ImageFunction.
ImageFunction imageByCamera(Camera& camera);

} // namespace nordstjerna
