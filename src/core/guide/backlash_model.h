// A gear with backlash, as what it does to the star: the motor side moves, the load side follows once the gap
// is taken up.
#pragma once

#include <algorithm>

namespace nordstjerna {

struct BacklashModel {
    double gap = 0.0;
    double load = 0.0; // within the gap below the motor side

    void follow(double motor) { load = after(motor); }
    double after(double motor) const { return std::clamp(load, motor - gap, motor); }
};

} // namespace nordstjerna
