// Background of a whole frame: a mesh of clipped medians, smoothed and interpolated.
#pragma once

#include <vector>

#include "core/image/frame.h"

namespace nordstjerna {

class SkyBackground {
public:
    // Cells of about 64 × 64 pixels, a fifth of whose pixels is looked at; stars are clipped away, and each
    // cell takes the median of its neighbourhood, so that a bright star does not lift it.
    explicit SkyBackground(const Frame& frame);

    double level() const { return level_; } // median over the frame, counts
    double noise() const { return noise_; } // standard deviation of one pixel, median over the frame
    // Of one row, interpolated between the cells' centres.
    void row(int y, std::vector<float>& out) const;
    // Level and slopes (counts per px) at a place in window pixels.
    struct Local {
        double level, slopeX, slopeY;
    };
    Local at(double x, double y) const;

private:
    double node(int cx, int cy) const;
    int width_, cellsX_, cellsY_;
    double cellWidth_, cellHeight_;
    std::vector<double> mesh_;
    double level_ = 0.0;
    double noise_ = 0.0;
};

} // namespace nordstjerna
