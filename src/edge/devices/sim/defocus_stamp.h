// The image of a star out of focus: the light of the whole aperture on a disc, with a hole where the middle
// of the aperture is covered, blurred by the air.
#pragma once

#include <vector>

namespace nordstjerna {

class DefocusStamp {
public:
    // Radii in px, of the disc and of its hole; sigma of a Gaussian blur.
    DefocusStamp(double radius_px, double hole_px, double sigma_px);
    // Share of the light on a pixel whose centre lies so far from the star.
    double at(double r_px) const;
    double reach_px() const { return reach_; }

private:
    double reach_;
    std::vector<double> values_;
};

} // namespace nordstjerna
