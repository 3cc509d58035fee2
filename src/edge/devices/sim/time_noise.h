// Random processes in time: every one who looks at the same moment sees the same, in whatever order they
// look. Time runs from the start of the night; before it a process stands as at the start.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

namespace nordstjerna {

// White noise, mean 0. `sigma1s`: standard deviation of its mean over one second (∝ 1/√seconds).
class WhiteNoise {
public:
    explicit WhiteNoise(std::uint64_t seed) : seed_(seed) {}
    double mean(double from_s, double to_s) const; // unit: sigma1s = 1

private:
    std::uint64_t seed_;
};

// A random walk from 0; standard deviation 1 after one second.
class RandomWalk {
public:
    explicit RandomWalk(std::uint64_t seed) : seed_(seed) {}
    double at(double t_s) const;

private:
    std::uint64_t seed_;
    mutable std::vector<double> path_{0.0}; // one entry a second
};

// First-order process of variance 1 that forgets in `memory_s`.
class SlowNoise {
public:
    SlowNoise(std::uint64_t seed, double memory_s);
    double at(double t_s) const;
    double mean(double from_s, double to_s) const;

private:
    void reach(std::size_t slot) const;
    std::uint64_t seed_;
    double slot_s_, keep_;
    mutable std::vector<double> path_;
};

} // namespace nordstjerna
