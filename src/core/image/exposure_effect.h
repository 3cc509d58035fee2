// What another exposure, or binning, would do to a star: SNR and centroid noise predicted from the frame at
// hand by the CCD equation (Howell, Handbook of CCD Astronomy).
#pragma once

#include "core/image/star.h"

namespace nordstjerna {

struct ExposureEffect {
    double exposure_s = 0.0;
    int bin = 1; // against the frame at hand
    double snr = 0.0;
    double centroid_px = 0.0; // in the frame's own pixels
    bool saturates = false;
};

struct ExposureBasis {
    Star star;
    double exposure_s = 1.0;
    double gain_e_adu = 1.0;
    double readNoise_e = 3.0;
    double saturation_adu = 65535.0;
};

ExposureEffect predictExposure(const ExposureBasis& basis, double exposure_s, int bin = 1);

} // namespace nordstjerna
