// A rig from three answers: which mount, which optics, where. What is not asked for has the values that such
// equipment usually has; all of it can be changed later.
#pragma once

#include <functional>

#include "core/rig/rig.h"

namespace nordstjerna {

enum class MountKind {
    worm,     // the usual one: two motors, worm gears
    encoders, // with encoders on both axes
    harmonic, // harmonic drives: no backlash, large and fast periodic error
    tracker   // one motor, RA alone
};

struct RigAnswers {
    MountKind mount = MountKind::worm;
    std::string mountName;
    std::string opticsName;
    Optics telescope;
    CameraSpec imaging;
    bool offAxis = false;
    Optics guideScope; // unused when offAxis
    CameraSpec guide;
    std::string siteName;
    double latitude_deg = 0.0, longitude_deg = 0.0; // north and east positive
};

// newId: an identity for each part. Fails where that cannot be a telescope.
Expected<Rig> rigFrom(const RigAnswers& answers, const std::function<std::string()>& newId);

} // namespace nordstjerna
