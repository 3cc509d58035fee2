// What a frame of the imaging camera looks like: how sharp, how round, and which way its stars are drawn out.
// Shapes are second moments under a Gaussian weight that is adapted to the star itself (adaptive moments,
// Bernstein & Jarvis 2002, Astron. J. 123, from memory); for Gaussian stars they are those of the star.
#pragma once

#include <Eigen/Core>
#include <optional>
#include <vector>

#include "core/base/measured.h"
#include "core/image/star_detect.h"

namespace nordstjerna {

// Second moments of a star or of many, px².
struct Moments {
    double xx = 0.0, yy = 0.0, xy = 0.0;
    double size() const { return xx + yy; }
    // Components of the ellipticity, −1…1: along x against y, and along the diagonals.
    double e1() const { return (xx - yy) / size(); }
    double e2() const { return 2.0 * xy / size(); }
    Eigen::Matrix2d covariance() const { return (Eigen::Matrix2d() << xx, xy, xy, yy).finished(); }
};

// 1 − minor/major of a star of this ellipticity.
double elongationOf(double ellipticity);
// And back.
double ellipticityOf(double elongation);

// Absent where no star stands, or its moments do not settle. background: counts.
std::optional<Moments> starMoments(const Frame& frame, const Star& star);

struct ShapedStar {
    double x = 0.0, y = 0.0; // px
    double snr = 0.0;
    Moments moments;
};

struct FrameLook {
    int stars = 0;  // found
    int shaped = 0; // of which the shape was measured
    int tracks = 0;
    double background_adu = 0.0, noise_adu = 0.0;
    double hfd_px = 0.0; // typical
    Measured fwhm_px;
    Measured e1, e2;           // of all stars together, on the sensor
    Measured tangential;       // ellipticity across the line to the middle, at the corners: field rotation
    double elongation() const; // 1 − minor/major of the typical star; what noise alone makes is taken off
    double angle_deg() const;  // of the longer axis, counter-clockwise from +x
    double angleSigma_deg() const;
    static constexpr size_t mostShapes = 200;
    std::vector<ShapedStar> shapes; // the brightest
};

FrameLook lookAt(const Frame& frame, const StarField& field);
// What follows from the shapes of the stars alone, on a sensor of this size.
void combineShapes(FrameLook& look, int width, int height);

} // namespace nordstjerna
