// The image that these optics make of a star, learnt from the stars of one frame: coma, astigmatism and tilt
// give shapes that a round Gaussian measures badly. Places fitted with it are against the same point of the
// shape in every frame.
#pragma once

#include <optional>
#include <vector>

#include "core/image/frame.h"
#include "core/image/star.h"

namespace nordstjerna {

class StarShape {
public:
    // stars: as measured on the frame. Absent with fewer than four good ones, and where a Gaussian describes
    // them as well: then it measures better.
    static std::optional<StarShape> learn(const Frame& frame, const std::vector<Star>& stars);

    // The star's place and its uncertainty by least squares with the shape, weights as the noise deserves;
    // the rest stays as measured. Unchanged where the fit finds nothing.
    Star refine(const Frame& frame, const Star& star) const;

    // Share of the flux in a pixel whose centre lies so far from the star's place.
    double at(double dx, double dy) const;

private:
    void gather(const Frame& frame, const std::vector<Star>& stars);
    static constexpr int perPixel = 4;
    static constexpr int reach_px = 8;
    static constexpr int side = 2 * perPixel * reach_px + 1;
    std::vector<double> grid_;
};

// Places of these stars by the shape that they show together, where that describes them better than a
// Gaussian; else unchanged. All places of one frame are then against the same point of its shape.
void placeByShape(const Frame& frame, std::vector<Star>& stars);

} // namespace nordstjerna
