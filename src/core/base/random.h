// Seeded random numbers that are the same on every machine and compiler (the standard library's
// distributions are not). Generator: xoshiro256** (Blackman & Vigna 2021), seeded by splitmix64.
#pragma once

#include <cstdint>

namespace nordstjerna {

class Random {
public:
    explicit Random(std::uint64_t seed);
    std::uint64_t bits();
    double uniform(); // [0, 1)
    double uniform(double low, double high) { return low + (high - low) * uniform(); }
    double gaussian(); // mean 0, standard deviation 1

private:
    std::uint64_t state_[4];
    double spare_ = 0.0;
    bool hasSpare_ = false;
};

// One well-mixed 64-bit number from another: the splitmix64 finaliser.
std::uint64_t mixBits(std::uint64_t v);

} // namespace nordstjerna
