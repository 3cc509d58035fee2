#include "core/guide/line_search.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/angle.h"

namespace nordstjerna {

namespace {
constexpr double resolution_hz = 1.0 / 6000.0;
constexpr double lineMemory_s = 3000.0;
constexpr double alarmLevel = 16.0;
constexpr double fewestTurns = 1.5; // fewer are no period yet
constexpr double leastFrames = 60.0;
constexpr int family = 3;          // a period, its half and its third
constexpr double noisePower = 3.5; // what noise shows of a line now and then
} // namespace

LineSearch::LineSearch(double longest, double shortest)
    : step_hz_(resolution_hz), first_hz_(1.0 / longest),
      sums_(static_cast<std::size_t>((1.0 / shortest - 1.0 / longest) / resolution_hz) + 2) {}

void LineSearch::clear() {
    std::fill(sums_.begin(), sums_.end(), std::complex<double>());
    weight_ = weightSquare_ = variance_ = square_ = 0.0;
    start_s_.reset();
}

void LineSearch::feed(double t, double innovation, double variance) {
    if (!start_s_) {
        start_s_ = t;
        last_s_ = t;
    }
    const double keep = std::exp(-(t - last_s_) / lineMemory_s);
    last_s_ = t;
    weight_ = keep * weight_ + 1.0;
    weightSquare_ = keep * keep * weightSquare_ + 1.0;
    // Far out is no line, unless all are: a strong line must not be cut off.
    const double most = 3.5 * std::sqrt(std::max(variance, square_));
    const double v = std::clamp(innovation, -most, most);
    variance_ += (std::max(variance, 1e-9) - variance_) / weight_;
    square_ += (v * v - square_) / weight_;
    // The turns at evenly spaced frequencies are powers of one rotation.
    std::complex<double> turn = std::polar(1.0, tau * first_hz_ * (t - *start_s_));
    const std::complex<double> more = std::polar(1.0, tau * step_hz_ * (t - *start_s_));
    for (auto& sum : sums_) {
        const double re = keep * sum.real() + v * turn.real();
        const double im = keep * sum.imag() + v * turn.imag();
        sum = {re, im};
        turn = {turn.real() * more.real() - turn.imag() * more.imag(),
                turn.real() * more.imag() + turn.imag() * more.real()};
    }
}

double LineSearch::powerOf(std::size_t k) const {
    return std::norm(sums_[k]) / std::max(weightSquare_ * variance_, 1e-12);
}

double LineSearch::powerAt(double period) const {
    const double place = (1.0 / period - first_hz_) / step_hz_;
    // A parabola through the three nearest: the peak is a few steps wide.
    const auto k =
        static_cast<std::size_t>(std::clamp(std::round(place), 1.0, static_cast<double>(sums_.size() - 2)));
    const double x = std::clamp(place - static_cast<double>(k), -1.0, 1.0);
    const double below = powerOf(k - 1);
    const double here = powerOf(k);
    const double above = powerOf(k + 1);
    return std::max(0.0, here + 0.5 * x * (above - below) + 0.5 * x * x * (above - 2.0 * here + below));
}

double LineSearch::likelier(double period, double than) const {
    // Of the mean square, what the sinusoids take away.
    const auto left = [&](double p) {
        const double explained =
            2.0 * familyPower(1.0 / p) * weightSquare_ * variance_ / std::max(weight_ * weight_, 1.0);
        return 1.0 - std::clamp(explained / std::max(square_, 1e-12), 0.0, 0.99);
    };
    constexpr double independent = 8.0; // a turn
    const double turns = std::min(span_s(), lineMemory_s) / than;
    return 0.5 * independent * turns * std::log(left(than) / left(period));
}

// Of the frequency of a sinusoid in white noise (e.g. Rife & Boorstyn 1974): √6 / (π T √power), and twice
// that for what the parabola leaves.
double LineSearch::sigma_hz(double power) const {
    return 2.0 * std::sqrt(6.0) / (std::numbers::pi * std::max(span_s(), 1.0) * std::sqrt(power));
}

double LineSearch::familyPower(double frequency) const {
    const double highest_hz = first_hz_ + step_hz_ * static_cast<double>(sums_.size() - 1);
    double sum = 0.0;
    for (int h = 1; h <= family && h * frequency <= highest_hz; ++h)
        sum += std::max(0.0, powerAt(1.0 / (h * frequency)) - noisePower);
    return sum;
}

std::optional<LineSearch::Line> LineSearch::strongestFamily(double shortest) const {
    if (weight_ < leastFrames)
        return std::nullopt;
    // The third of a period needs a third of the step.
    const double step = step_hz_ / family;
    double best_hz = 0.0;
    double most = 0.0;
    for (double f = 1.0 / shortest; f >= std::max(first_hz_, fewestTurns / std::max(span_s(), 1.0));
         f -= step) {
        // A longer period with the same lines among its multiples must explain something more.
        const double more = std::max(6.0, 0.02 * most);
        const double ratio = best_hz / f;
        const bool multiple = ratio > 1.5 && std::abs(ratio - std::round(ratio)) < 0.1;
        const double power = familyPower(f);
        if (power > most + (multiple ? more : 0.0)) {
            most = power;
            best_hz = f;
        }
    }
    if (most < alarmLevel - noisePower)
        return std::nullopt;
    // The peak lies between two steps.
    constexpr int finer = 12;
    const double about = best_hz;
    for (int i = -finer; i <= finer; ++i) {
        const double f = about + step * i / finer;
        if (const double power = familyPower(f); power > most) {
            most = power;
            best_hz = f;
        }
    }
    Line line;
    line.power = most;
    line.period_s = 1.0 / best_hz;
    // Each of the lines tells the frequency, the multiples the better.
    double information = 0.0;
    for (int h = 1; h <= family; ++h)
        information += h * h * std::max(0.0, powerAt(1.0 / (h * best_hz)) - noisePower);
    line.sigma_s = sigma_hz(information) / (best_hz * best_hz);
    line.amplitude = 2.0 * std::sqrt(powerAt(line.period_s) * weightSquare_ * variance_) / weight_;
    return line;
}

std::optional<LineSearch::Line> LineSearch::strongest() const {
    if (weight_ < leastFrames || !start_s_)
        return std::nullopt;
    const double span = span_s();
    std::size_t best = 0;
    double most = 0.0;
    for (std::size_t k = 0; k < sums_.size(); ++k)
        if (span * (first_hz_ + static_cast<double>(k) * step_hz_) > fewestTurns && powerOf(k) > most) {
            most = powerOf(k);
            best = k;
        }
    if (most < alarmLevel)
        return std::nullopt;
    Line line;
    line.power = most;
    line.amplitude = 2.0 * std::abs(sums_[best]) / weight_;
    double frequency = first_hz_ + static_cast<double>(best) * step_hz_;
    if (best > 0 && best + 1 < sums_.size()) {
        const double a = powerOf(best - 1);
        const double b = powerOf(best + 1);
        const double curve = a - 2.0 * most + b;
        if (curve < 0.0)
            frequency += step_hz_ * std::clamp(0.5 * (a - b) / curve, -0.5, 0.5);
    }
    line.period_s = 1.0 / frequency;
    line.sigma_s = sigma_hz(most) / (frequency * frequency);
    return line;
}

} // namespace nordstjerna
