#include "edge/devices/wire/frame_part.h"

#include <algorithm>

namespace nordstjerna {

Frame partOf(const Frame& frame, int x, int y, int width, int height) {
    Frame part(width, height);
    part.x0 = x;
    part.y0 = y;
    part.info = frame.info;
    for (int row = 0; row < height; ++row)
        std::copy_n(&frame.pixels[frame.index(x - frame.x0, y - frame.y0 + row)], width,
                    &part.pixels[part.index(0, row)]);
    return part;
}

} // namespace nordstjerna
