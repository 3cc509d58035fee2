#include "core/motion/periodic.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/motion/spectrum.h"

namespace nordstjerna {

namespace {

constexpr double tau = 2.0 * std::numbers::pi;
constexpr double significant = 0.01;
constexpr size_t mostLines = 8;

// Drift and sinusoids fitted together, frequencies refined. Parameters: level, slope, then for each line the
// sine and cosine coefficient and the frequency.
struct JointFit {
    std::vector<double> frequency;
    Eigen::VectorXd linear; // level, slope, a1, b1, …
    Eigen::MatrixXd covariance;
    std::vector<double> residual;
    double sigma = 0.0;
    double inflation = 1.0;
};

// How much larger the error of a slow fit is than that of white noise of the same scatter: the square root of
// one plus twice the sum of autocorrelations, as far as they stand out.
double slowInflation(const std::vector<double>& residual) {
    const double floor = 1.0 / std::sqrt(static_cast<double>(residual.size()));
    double sum = 1.0;
    for (int lag = 1; lag <= 20 && lag < static_cast<int>(residual.size()) / 4; ++lag) {
        const double r = autocorrelation(residual, lag);
        if (r < floor)
            break;
        sum += 2.0 * r;
    }
    // What the estimate cuts off of the tail is worth about two fifths more.
    return std::sqrt(std::min(1.0 + 1.4 * (sum - 1.0), 40.0));
}

class Series {
public:
    Series(std::span<const double> t, std::span<const double> v)
        : t_(t), v_(v), middle_(0.5 * (t.front() + t.back())) {}

    // With `refine`, the frequencies are free too.
    JointFit fit(std::vector<double> frequency, bool refine) const {
        JointFit f;
        const auto n = static_cast<Eigen::Index>(t_.size());
        const auto lines = static_cast<Eigen::Index>(frequency.size());
        for (int round = 0; round < (refine && lines ? 8 : 1); ++round) {
            const Eigen::Index p = 2 + 2 * lines;
            Eigen::MatrixXd design(n, p);
            for (Eigen::Index i = 0; i < n; ++i) {
                const double t = t_[static_cast<size_t>(i)] - middle_;
                design(i, 0) = 1.0;
                design(i, 1) = t;
                for (Eigen::Index k = 0; k < lines; ++k) {
                    const double a = tau * frequency[static_cast<size_t>(k)] * t;
                    design(i, 2 + 2 * k) = std::sin(a);
                    design(i, 3 + 2 * k) = std::cos(a);
                }
            }
            const Eigen::Map<const Eigen::VectorXd> y(v_.data(), n);
            const Eigen::MatrixXd normal = design.transpose() * design;
            f.linear = normal.ldlt().solve(design.transpose() * y);
            const Eigen::VectorXd rest = y - design * f.linear;
            f.residual.assign(rest.data(), rest.data() + n);
            f.covariance = normal.inverse();
            if (!refine || !lines)
                break;
            // One Gauss–Newton step with the frequencies included.
            Eigen::MatrixXd full(n, p + lines);
            full.leftCols(p) = design;
            for (Eigen::Index i = 0; i < n; ++i) {
                const double t = t_[static_cast<size_t>(i)] - middle_;
                for (Eigen::Index k = 0; k < lines; ++k)
                    full(i, p + k) = tau * t *
                                     (f.linear[2 + 2 * k] * design(i, 3 + 2 * k) -
                                      f.linear[3 + 2 * k] * design(i, 2 + 2 * k));
            }
            const Eigen::MatrixXd fullNormal = full.transpose() * full;
            const Eigen::VectorXd step = fullNormal.ldlt().solve(full.transpose() * rest);
            const double reach = 0.3 / (t_.back() - t_.front());
            double moved = 0.0;
            for (Eigen::Index k = 0; k < lines; ++k) {
                const double d = std::clamp(step[p + k], -reach, reach);
                if (std::isfinite(d)) {
                    double& own = frequency[static_cast<size_t>(k)];
                    own = std::max(own + d, 1.2 / (t_.back() - t_.front()));
                    moved = std::max(moved, std::abs(d));
                }
            }
            f.covariance = fullNormal.inverse();
            if (moved < 1e-4 * reach)
                break;
        }
        f.frequency = frequency;
        double squares = 0.0;
        for (double r : f.residual)
            squares += r * r;
        const double freedom = std::max(1.0, static_cast<double>(n) - 2.0 - 3.0 * static_cast<double>(lines));
        f.sigma = std::sqrt(squares / freedom);
        f.inflation = slowInflation(f.residual);
        return f;
    }

    double middle() const { return middle_; }

private:
    std::span<const double> t_, v_;
    double middle_;
};

PeriodicLine lineOf(const JointFit& f, size_t k, bool refined, double middle) {
    const auto i = static_cast<Eigen::Index>(2 + 2 * k);
    const double a = f.linear[i];
    const double b = f.linear[i + 1];
    PeriodicLine line;
    line.amplitude_arcsec.value = std::hypot(a, b);
    const Eigen::Vector2d u = Eigen::Vector2d(a, b) / std::max(line.amplitude_arcsec.value, 1e-12);
    const double scale = f.sigma * f.inflation;
    line.amplitude_arcsec.sigma =
        scale * std::sqrt(std::max(0.0, (u.transpose() * f.covariance.block<2, 2>(i, i) * u).value()));
    line.period_s.value = 1.0 / f.frequency[k];
    if (refined) {
        const auto j = static_cast<Eigen::Index>(2 + 2 * f.frequency.size() + k);
        line.period_s.sigma =
            scale * std::sqrt(std::max(0.0, f.covariance(j, j))) / (f.frequency[k] * f.frequency[k]);
    }
    line.phase_rad = std::atan2(b, a) - tau * f.frequency[k] * middle;
    return line;
}

// Red noise of the air makes slow frequencies strong without any period in them: the line's amplitude is held
// against the uncertainty that the correlated rest gives it.
double correlatedFalseAlarm(const PeriodicLine& line, double independent) {
    const double z = line.amplitude_arcsec.value / std::max(line.amplitude_arcsec.sigma, 1e-12);
    const double single = std::exp(-0.5 * z * z);
    // The correlation itself is known from the same few samples; six times the chance covers that.
    return std::min(
        1.0, -6.0 * std::expm1(std::max(independent, 1.0) * std::log1p(-std::min(single, 1.0 - 1e-16))));
}

// Neighbours averaged so that a long night does not take long: periods that matter last many samples.
struct Shorter {
    std::vector<double> t, v;
};
Shorter shortened(std::span<const double> t, const std::vector<double>& v) {
    constexpr size_t enough = 4000;
    const size_t by = (t.size() + enough - 1) / enough;
    Shorter s;
    for (size_t i = 0; i < t.size();) {
        // Never across a gap.
        size_t n = 0;
        double st = 0.0;
        double sv = 0.0;
        do {
            st += t[i + n];
            sv += v[i + n];
            ++n;
        } while (n < by && i + n < t.size() && t[i + n] - t[i + n - 1] < 30.0);
        s.t.push_back(st / static_cast<double>(n));
        s.v.push_back(sv / static_cast<double>(n));
        i += n;
    }
    return s;
}

WormError wormFrom(const Series& series, std::span<const double> t, double period, bool given,
                   const std::vector<double>& others) {
    WormError w;
    w.given = given;
    w.cycles = (t.back() - t.front()) / period;
    std::vector<double> gaps;
    for (size_t i = 1; i < t.size(); ++i)
        gaps.push_back(t[i] - t[i - 1]);
    const double sampling = median(std::move(gaps));
    int count = 1;
    while (count < 5 && period / (count + 1) > 6.0 * sampling)
        ++count;
    // The fundamental's frequency is free only when it was found; the harmonics hang on it.
    std::vector<double> all;
    for (int h = 1; h <= count; ++h)
        all.push_back(h / period);
    for (double f : others)
        if (std::none_of(all.begin(), all.end(),
                         [&](double x) { return std::abs(x - f) < 0.7 / (t.back() - t.front()); }))
            all.push_back(f);
    const JointFit joint = series.fit(all, false);
    w.period_s = {period, 0.0};
    std::vector<PeriodicLine> strong;
    for (int h = 0; h < count; ++h) {
        PeriodicLine line = lineOf(joint, static_cast<size_t>(h), false, series.middle());
        line.harmonic = h + 1;
        const double z = line.amplitude_arcsec.value / std::max(line.amplitude_arcsec.sigma, 1e-9);
        line.falseAlarm = std::exp(-0.5 * z * z);
        w.harmonics.push_back(line);
        if (line.falseAlarm < significant)
            strong.push_back(line);
    }
    constexpr int steps = 72;
    std::vector<std::vector<double>> bins(steps);
    const auto curveAt = [&](double time) {
        double sum = 0.0;
        for (const PeriodicLine& l : strong)
            sum += l.amplitude_arcsec.value * std::sin(tau * l.harmonic / period * time + l.phase_rad);
        return sum;
    };
    for (size_t i = 0; i < t.size(); ++i) {
        const double phase = std::fmod(std::fmod(t[i] / period, 1.0) + 1.0, 1.0);
        bins[static_cast<size_t>(phase * steps) % steps].push_back(joint.residual[i]);
    }
    double low = 0.0;
    double high = 0.0;
    double squares = 0.0;
    for (int i = 0; i < steps; ++i) {
        const double at = (i + 0.5) / steps * period;
        const double y = curveAt(at);
        w.curve_arcsec.push_back(y);
        w.scatter_arcsec.push_back(standardDeviation(bins[static_cast<size_t>(i)]));
        low = std::min(low, y);
        high = std::max(high, y);
        squares += y * y / steps;
        const double rate = (curveAt(at + 0.5) - curveAt(at - 0.5));
        w.maxRate_arcsec_s = std::max(w.maxRate_arcsec_s, std::abs(rate));
    }
    w.peakToPeak_arcsec = high - low;
    w.rms_arcsec = std::sqrt(squares);
    return w;
}

} // namespace

Expected<PeriodicResult> findPeriodic(std::span<const double> t, std::span<const double> v,
                                      double wormPeriod_s) {
    if (t.size() < 30)
        return problem("The run is too short to look for periods.",
                       formatCount(static_cast<int>(t.size()), "row") + "; at least 30 are needed.",
                       "Record longer.");
    const double span = t.back() - t.front();
    std::vector<double> gaps;
    for (size_t i = 1; i < t.size(); ++i)
        gaps.push_back(t[i] - t[i - 1]);
    const double sampling = median(std::move(gaps));
    PeriodicResult result;
    result.longestPeriod_s = span / 1.2;
    const double low = 1.2 / span;
    const double averaged = std::ceil(static_cast<double>(t.size()) / 4000.0);
    const double high = std::min(0.5 / std::max(sampling * averaged, 1e-3), 0.25);
    const Series series(t, v);
    std::vector<double> frequencies;
    std::vector<double> alarms;
    if (high > 2.0 * low) {
        const double step = 1.0 / (5.0 * span);
        const auto count = std::min<size_t>(static_cast<size_t>((high - low) / step), 40000);
        const double independent = (high - low) * span;
        double slowest = low;
        for (size_t round = 0; round < 2 * mostLines && frequencies.size() < mostLines; ++round) {
            const JointFit joint = series.fit(frequencies, !frequencies.empty());
            frequencies = joint.frequency;
            // A line that ran to the slow end was drift in disguise: without it, and no longer looked for
            // there.
            const auto ran = std::find_if(frequencies.begin(), frequencies.end(),
                                          [&](double f) { return f <= low * 1.0001; });
            if (ran != frequencies.end()) {
                alarms.erase(alarms.begin() + (ran - frequencies.begin()));
                frequencies.erase(ran);
                slowest = 2.0 / span;
                continue;
            }
            const Shorter few = shortened(t, joint.residual);
            const Spectrum s = lombScargle(few.t, few.v, low, step, count);
            // Only what rises and falls within the range is a period; what grows towards its end is drift.
            size_t peak = 0;
            for (size_t i = 1; i + 1 < s.power.size(); ++i)
                if (s.frequency_hz(i) >= slowest && s.power[i] >= s.power[i - 1] &&
                    s.power[i] > s.power[i + 1] && (peak == 0 || s.power[i] > s.power[peak]))
                    peak = i;
            if (peak == 0)
                break;
            const double f = s.frequency_hz(peak);
            std::vector<double> with = frequencies;
            with.push_back(f);
            const JointFit tried = series.fit(with, false);
            const double alarm = std::max(
                falseAlarm(s.power[peak], few.t.size(), independent),
                correlatedFalseAlarm(lineOf(tried, with.size() - 1, false, series.middle()), independent));
            if (alarm > significant)
                break;
            // Two lines closer than the series resolves are one, badly fitted.
            if (std::any_of(frequencies.begin(), frequencies.end(),
                            [&](double x) { return std::abs(x - f) < 0.8 / span; }))
                break;
            frequencies.push_back(f);
            alarms.push_back(alarm);
        }
    }
    const JointFit joint = series.fit(frequencies, true);
    for (size_t k = 0; k < frequencies.size(); ++k) {
        PeriodicLine line = lineOf(joint, k, true, series.middle());
        line.falseAlarm = alarms[k];
        result.lines.push_back(line);
    }
    std::sort(result.lines.begin(), result.lines.end(), [](const PeriodicLine& a, const PeriodicLine& b) {
        return a.amplitude_arcsec.value > b.amplitude_arcsec.value;
    });
    const double scale = joint.sigma * joint.inflation;
    result.drift_arcsec_min = {60.0 * joint.linear[1],
                               60.0 * scale * std::sqrt(std::max(0.0, joint.covariance(1, 1)))};
    result.residual_arcsec = joint.sigma;

    double worm = wormPeriod_s;
    double wormSigma = 0.0;
    if (worm <= 0.0)
        for (const PeriodicLine& l : result.lines)
            if (l.period_s.value >= 180.0 && l.period_s.value <= 1200.0) {
                worm = l.period_s.value;
                wormSigma = l.period_s.sigma;
                break;
            }
    if (worm > 0.0 && span >= 1.2 * worm) {
        result.worm = wormFrom(series, t, worm, wormPeriod_s > 0.0, joint.frequency);
        result.worm->period_s.sigma = wormSigma;
        for (PeriodicLine& l : result.lines) {
            const double ratio = worm / l.period_s.value;
            const int h = static_cast<int>(std::lround(ratio));
            if (h >= 1 && h <= 5 && std::abs(ratio - h) < std::max(0.02 * h, 0.6 * worm / span))
                l.harmonic = h;
        }
    }
    return result;
}

} // namespace nordstjerna
