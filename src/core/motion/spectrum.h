// Spectrum of an unevenly sampled series: the Lomb–Scargle periodogram with a floating mean (Scargle 1982,
// ApJ 263, 835; Zechmeister & Kürster 2009, A&A 496, 577), power as a share of the variance explained (0…1).
// All frequencies at once by Fourier sums, so that a long night takes milliseconds.
#pragma once

#include <complex>
#include <span>
#include <vector>

namespace nordstjerna {

struct Spectrum {
    double firstFrequency_hz = 0.0;
    double step_hz = 0.0;
    std::vector<double> power;

    double frequency_hz(size_t i) const { return firstFrequency_hz + step_hz * static_cast<double>(i); }
};

// For several series at the same moments: what only depends on those is worked out once.
class Periodogram {
public:
    // At least four moments. Frequencies from `low_hz` in steps of `step_hz`, `count` of them.
    Periodogram(std::span<const double> t_s, double low_hz, double step_hz, size_t count);
    // One value a moment.
    Spectrum of(std::span<const double> v) const;

private:
    double low_hz_, step_hz_;
    size_t count_;
    std::vector<double> x_;                              // phase of a step, turns
    std::vector<std::complex<double>> one_;              // at the first frequency
    std::vector<std::complex<double>> single_, doubled_; // sums over the moments
};

// The same for one series; t and v of equal length.
Spectrum lombScargle(std::span<const double> t_s, std::span<const double> v, double low_hz, double step_hz,
                     size_t count);

// Probability that pure noise puts one of `independent` frequencies above this power, by the distribution of
// a single one for `samples` values (Scargle 1982, in the normalisation of this file).
double falseAlarm(double power, size_t samples, double independent);

} // namespace nordstjerna
