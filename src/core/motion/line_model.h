// Drift and sinusoids fitted together to one axis: levels, one slope, sinusoids tied to a phase (the turns of
// the worm) and sinusoids of free frequency. Weighted least squares with covariance; the errors are those
// that a slowly varying rest deserves.
#pragma once

#include <Eigen/Core>
#include <span>
#include <vector>

#include "core/base/angle.h"
#include "core/base/measured.h"

namespace nordstjerna {

// Factor on white-noise errors for a fit much slower than the residual's own correlation: the root of one
// plus twice the sum of the autocorrelations that stand out.
double slowInflation(std::span<const double> residual);

// RMS about the mean of a series whose neighbours hang together, with its ±. Nothing with fewer than three.
Measured rmsWithSigma(std::vector<double> v);

struct Sinusoid {
    Measured amplitude;
    double phase_rad = 0.0; // of the sine: at t = 0 for a free one, at phase 0 for a tied one
    double frequency_hz = 0.0;
    double sigmaFrequency_hz = 0.0; // free ones only
};

class LineModel {
public:
    // t (s, ascending), v, and the level each sample belongs to (0 … levels−1), all of equal length.
    LineModel(std::span<const double> t_s, std::span<const double> v, std::span<const int> level, int levels);

    // Sinusoids at 1 … harmonics times a phase in turns, one entry a sample.
    void tieTo(std::vector<double> phase_turns, int harmonics);

    struct Fit {
        Measured slope; // per second
        std::vector<Sinusoid> tied;
        std::vector<Sinusoid> free;
        Eigen::VectorXd coefficients; // levels, slope, tied (sine, cosine …), free (sine, cosine …)
        Eigen::MatrixXd covariance;   // of the coefficients, and behind them the refined frequencies
        std::vector<double> residual;
        double sigma = 0.0;     // of the residual
        double inflation = 1.0; // included in all sigmas and in the covariance
    };
    // With `refine`, the frequencies are fitted too; none is let below `lowest_hz`.
    Fit fit(std::vector<double> frequency_hz, bool refine, double lowest_hz = 0.0) const;
    // Without the slope and the free sinusoids: what the tied ones and the noise leave.
    std::vector<double> withoutDriftAndFree(const Fit& fit) const;
    int tiedColumn() const { return levels_ + 1; } // first coefficient of the tied sinusoids

private:
    void fillFixed(Eigen::MatrixXd& design) const;
    std::span<const double> t_, v_;
    std::span<const int> level_;
    int levels_;
    double middle_;
    std::vector<double> phase_;
    int harmonics_ = 0;
};

} // namespace nordstjerna
