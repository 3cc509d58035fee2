#include "core/image/exposure_effect.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace nordstjerna {

ExposureEffect predictExposure(const ExposureBasis& b, double exposure_s, int bin) {
    const double longer = exposure_s / b.exposure_s;
    const double signal = std::max(b.star.flux, 1e-9) * b.gain_e_adu * longer;
    const double variance_e = std::pow(b.star.noise * b.gain_e_adu, 2); // of one pixel
    const double read_e = b.readNoise_e * b.readNoise_e;
    const double sky_e = std::max(0.0, variance_e - read_e) * longer;
    // Binned pixels are read once for all they hold.
    const double perPixel = sky_e + read_e / (bin * bin);
    const double pixels = std::numbers::pi * std::pow(std::max(b.star.hfd, 1.0), 2);
    ExposureEffect e;
    e.exposure_s = exposure_s;
    e.bin = bin;
    e.snr = signal / std::sqrt(signal + pixels * perPixel);
    // Half-flux diameter of a Gaussian is its FWHM; binning adds the variance of the wider pixel.
    const double sigma = std::hypot(b.star.hfd / 2.3548, bin > 1 ? std::sqrt((bin * bin - 1) / 12.0) : 0.0);
    e.centroid_px = sigma * std::sqrt(1.0 / signal +
                                      8.0 * std::numbers::pi * sigma * sigma * perPixel / (signal * signal));
    e.saturates =
        b.star.background + (b.star.peak - b.star.background) * longer * bin * bin > 0.98 * b.saturation_adu;
    return e;
}

} // namespace nordstjerna
