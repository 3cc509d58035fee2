#include "desk/pictures/frame_image.h"

#include "core/image/stretch.h"
#include "desk/theme.h"

namespace nordstjerna {

QImage frameImage(const Frame& frame, double lowPercent, double highPercent) {
    const auto grey = stretchForDisplay(frame, lowPercent, highPercent);
    QImage image(frame.width, frame.height, QImage::Format_RGB32);
    const bool red = theme().name == "Ember";
    for (int y = 0; y < frame.height; ++y) {
        auto* line = reinterpret_cast<QRgb*>(image.scanLine(frame.height - 1 - y));
        const std::uint8_t* in = &grey[frame.index(0, y)];
        for (int x = 0; x < frame.width; ++x)
            line[x] = red ? qRgb(in[x], in[x] / 4, in[x] / 5) : qRgb(in[x], in[x], in[x]);
    }
    return image;
}

} // namespace nordstjerna
