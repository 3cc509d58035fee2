// Port: a camera. expose() blocks until the frame is there.
#pragma once

#include <memory>
#include <vector>

#include "core/base/problem.h"
#include "core/image/camera_gain.h"
#include "core/image/frame.h"
#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

class Camera {
public:
    virtual ~Camera() = default;
    virtual Expected<std::shared_ptr<const Frame>> expose(double exposure_s, const StopFlag& halt) = 0;

    // The same in two parts, for exposures during which something else is commanded: begin() opens the
    // shutter, for so long as is planned, and returns at once; finish() reads out, and closes it where the
    // camera can be told to.
    virtual Expected<void> begin(double exposure_s) = 0;
    virtual Expected<std::shared_ptr<const Frame>> finish(const StopFlag& halt) = 0;

    // Exposes and hands out only windows round the expected stars. A camera without windows may cut them
    // from its full frame.
    struct Windows {
        std::vector<Frame> frames; // one for each expected star
        Instant middle;
    };
    virtual Expected<Windows> exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                            const StopFlag& halt) = 0;

    // How its gain stands; absent: it has none that can be set. setGain() counts from the next exposure on.
    virtual Expected<std::optional<GainState>> gain(const StopFlag& halt) = 0;
    virtual Expected<void> setGain(double setting, const StopFlag& halt) = 0;
};

} // namespace nordstjerna
