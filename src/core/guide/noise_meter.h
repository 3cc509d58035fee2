// How much one measured place scatters by air and centroid, followed through the night: the middle one of
// three frames against the line through its neighbours, so that drift drops out.
#pragma once

#include <deque>
#include <utility>

namespace nordstjerna {

class NoiseMeter {
public:
    // place: with corrections taken out. centroid: the least it can be.
    void feed(double t_s, double place_arcsec, double centroid_arcsec);
    double variance_arcsec2() const { return square_; }

private:
    std::deque<std::pair<double, double>> recent_; // time and place
    double square_ = 0.0;
    double weight_ = 0.0;
};

} // namespace nordstjerna
