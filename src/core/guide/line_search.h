// Looks for periods in what a filter did not foretell: the power at some hundred evenly spaced frequencies,
// kept up frame by frame, the past fading slowly. Frames may come unevenly.
#pragma once

#include <complex>
#include <optional>
#include <vector>

namespace nordstjerna {

class LineSearch {
public:
    // From 1/longest to 1/shortest.
    LineSearch(double longest_s, double shortest_s);

    void feed(double t_s, double innovation, double variance);

    struct Line {
        double period_s = 0.0;
        double sigma_s = 0.0;   // of the period
        double power = 0.0;     // mean 1 for white noise, exponentially distributed
        double amplitude = 0.0; // in the unit of the innovations
    };
    // The strongest one, if noise would not show it once in a thousand nights; as in the next.
    std::optional<Line> strongest() const;
    // The period that explains most together with its half and its third: of a worm the fundamental, which
    // need not be its strongest line. power: of all that stand out. shortest_s: of the period itself.
    std::optional<Line> strongestFamily(double shortest_s) const;
    void clear();
    // How much likelier one period with its half and its third is than another: a difference of logarithms of
    // likelihood. What neither explains (further lines, a mount that wanders) counts as noise that hangs
    // together for an eighth of a turn.
    double likelier(double period_s, double than_s) const;

private:
    double powerOf(std::size_t k) const;
    double powerAt(double period_s) const;
    // Of what noise makes of a line and its multiples nothing is left.
    double familyPower(double frequency_hz) const;
    double sigma_hz(double power) const;
    double span_s() const { return last_s_ - start_s_.value_or(last_s_); }
    double step_hz_, first_hz_;
    std::vector<std::complex<double>> sums_;
    double weight_ = 0.0; // effective number of frames
    double weightSquare_ = 0.0;
    double variance_ = 0.0; // mean
    double square_ = 0.0;   // mean, of what was fed
    std::optional<double> start_s_;
    double last_s_ = 0.0;
};

} // namespace nordstjerna
