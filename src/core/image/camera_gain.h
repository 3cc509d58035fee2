// What the amplifier of a camera is set to, in the camera's own numbers.
#pragma once

namespace nordstjerna {

struct GainState {
    double setting = 0.0;
    double lowest = 0.0;
    double highest = 0.0;
};

} // namespace nordstjerna
