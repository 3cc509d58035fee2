// One exposure, or a window cut from it. Counts (ADU) as floats, row by row, first row at the bottom of
// the sky picture as in FITS. Positions are in binned sensor pixels with the centre of the first pixel at
// (0, 0); a window knows where it was cut.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/sky/directions.h"
#include "core/sky/instant.h"
#include "core/sky/site.h"

namespace nordstjerna {

struct FrameInfo {
    std::optional<Instant> start; // UTC of shutter opening
    double exposure_s = 0.0;
    int bin = 1;
    double pixel_um = 0.0; // of the binned pixel; 0: not known
    double focal_mm = 0.0; // 0: not known
    double gain_e_adu = 1.0;
    std::optional<double> gainSetting; // in the camera's own numbers, if it tells
    double saturation_adu = 65535.0;
    std::optional<Equatorial> pointing; // where the mount believed to point, ICRS
    std::string camera;
    std::optional<double> temperature_c; // of the sensor
    bool bayer = false;                  // a colour filter of 2 × 2 pixels lies on the sensor
    double hiddenNoise = 1.0;            // smoothing made pixels this much quieter than sums over them are
    std::optional<Site> site;            // where it was taken, if the header tells

    std::optional<Instant> middle() const {
        return start ? std::optional<Instant>(*start + 0.5 * exposure_s) : std::nullopt;
    }
};

struct Frame {
    int width = 0;
    int height = 0;
    int x0 = 0; // of the window's first pixel on the sensor
    int y0 = 0;
    std::vector<float> pixels;
    FrameInfo info;

    Frame() = default;
    Frame(int w, int h) : width(w), height(h), pixels(static_cast<size_t>(w) * static_cast<size_t>(h)) {}

    bool empty() const { return pixels.empty(); }
    // Window coordinates, no range check.
    float at(int x, int y) const { return pixels[index(x, y)]; }
    float& at(int x, int y) { return pixels[index(x, y)]; }
    size_t index(int x, int y) const {
        return static_cast<size_t>(y) * static_cast<size_t>(width) + static_cast<size_t>(x);
    }
};

} // namespace nordstjerna
