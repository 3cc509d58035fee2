// A measured quantity: its value and one standard deviation, in the same unit (named by the owner).
#pragma once

namespace nordstjerna {

struct Measured {
    double value = 0.0;
    double sigma = 0.0;
};

} // namespace nordstjerna
