// A measured quantity: its value and one standard deviation, in the same unit (named by the owner).
#pragma once

#include <algorithm>
#include <cmath>

namespace nordstjerna {

struct Measured {
    double value = 0.0;
    double sigma = 0.0;
};

// Of two axes together, each to itself.
inline Measured bothAxes(const Measured& ra, const Measured& dec) {
    return {std::hypot(ra.value, dec.value), std::hypot(ra.sigma, dec.sigma)};
}

// Of a mean square. Near zero the root is known no better than the root of the ±.
inline Measured rootOfSquare(const Measured& square) {
    const double root = std::sqrt(std::max(0.0, square.value));
    return {root, square.sigma / (2.0 * std::max(root, 0.5 * std::sqrt(square.sigma)) + 1e-12)};
}

// a² − b², as a length; its uncertainty by that of both. Nothing left: how much could hide.
inline Measured quadratureRest(const Measured& a, const Measured& b) {
    const double square = a.value * a.value - b.value * b.value;
    const double error = 2.0 * std::hypot(a.value * a.sigma, b.value * b.sigma);
    const double value = std::sqrt(std::max(0.0, square));
    return {value, value > 0.0 ? std::min(0.5 * error / value, std::sqrt(error)) : std::sqrt(error)};
}

} // namespace nordstjerna
