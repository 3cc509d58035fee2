#include "core/image/bin_frame.h"

namespace nordstjerna {

Frame binFrame(const Frame& frame, int n) {
    Frame out(frame.width / n, frame.height / n);
    out.info = frame.info;
    out.info.bin *= n;
    out.info.pixel_um *= n;
    out.info.gain_e_adu *= n * n; // a mean of counts stands for the sum of their electrons
    out.x0 = frame.x0 / n;
    out.y0 = frame.y0 / n;
    const float part = 1.0F / static_cast<float>(n * n);
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            float sum = 0.0F;
            for (int dy = 0; dy < n; ++dy) {
                const float* row = &frame.pixels[frame.index(x * n, y * n + dy)];
                for (int dx = 0; dx < n; ++dx)
                    sum += row[dx];
            }
            out.at(x, y) = sum * part;
        }
    return out;
}

} // namespace nordstjerna
