// One star measured on a frame.
#pragma once

namespace nordstjerna {

struct Star {
    double x = 0.0; // binned sensor pixels, centre of the first pixel at 0
    double y = 0.0;
    double sigmaX = 0.0; // one standard deviation of the centroid, px
    double sigmaY = 0.0;
    double flux = 0.0; // counts above the background
    double peak = 0.0; // greatest pixel, background included
    double snr = 0.0;  // CCD equation (Howell, Handbook of CCD Astronomy)
    double hfd = 0.0;  // diameter of the circle that holds half of the flux, px
    double background = 0.0;
    double noise = 0.0; // standard deviation of the background, counts
    bool saturated = false;
};

} // namespace nordstjerna
