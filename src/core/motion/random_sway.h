// What a star does over an exposure that is neither drift nor swing: air, and the mount's own restlessness.
// It draws each exposure's stars out at random.
#pragma once

#include <span>
#include <vector>

namespace nordstjerna {

// Over an exposure: by how much the second moments (xx − yy, 2xy) of where the star was scatter.
struct RandomSway {
    double exposure_s = 0.0, moment_arcsec2 = 0.0;
};

// How much of each sample is air, and how much of it the measuring of its place (standard deviations, one
// coordinate).
struct FastNoise {
    double air_arcsec = 0.0, place_arcsec = 0.0;
};

// Of the residuals of a run, both axes at the same moments; by growing exposure, up to an eighth of the run.
// Empty when there are too few.
std::vector<RandomSway> randomSway(std::span<const double> t_s, std::span<const double> ra_arcsec,
                                   std::span<const double> dec_arcsec, const FastNoise& fast);

// A straight line of both logarithms in between, the nearest beyond; 0 when there are none.
double swayOver(const std::vector<RandomSway>& sway, double exposure_s);

} // namespace nordstjerna
