#include "core/motion/periodic.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/motion/drift_fit.h"
#include "core/motion/line_model.h"

namespace nordstjerna {

namespace {

constexpr double chanceAllowed = 0.01;
constexpr size_t mostLinesFound = 8;
constexpr double leastTurns = 1.2;
// The correlation of the noise is known from the same few samples; six times the chance covers that.
constexpr double cautious = 6.0;

// Red noise of the air makes slow frequencies strong without any period in them: the line's amplitude is held
// against the uncertainty that the correlated rest gives it.
double correlatedFalseAlarm(const Measured& amplitude, double independent) {
    const double z = amplitude.value / std::max(amplitude.sigma, 1e-12);
    const double single = std::exp(-0.5 * z * z);
    return std::min(
        1.0, -cautious * std::expm1(std::max(independent, 1.0) * std::log1p(-std::min(single, 1.0 - 1e-16))));
}

// Turns a second, negative where the mount counts down, from its own turns over neighbouring samples only: a
// slew in between may turn the worm at will.
double wormRateOf(std::span<const double> t, std::span<const double> turns) {
    const double usual = medianStep(t);
    std::vector<double> calibration;
    for (size_t i = 1; i < t.size(); ++i)
        if (t[i] - t[i - 1] < 1.6 * usual)
            calibration.push_back((turns[i] - turns[i - 1] - std::round(turns[i] - turns[i - 1])) /
                                  (t[i] - t[i - 1]));
    const double typical = median(calibration);
    std::erase_if(calibration, [&](double r) { return std::abs(r - typical) > 0.05 * std::abs(typical); });
    return mean(calibration);
}

// A line belongs to a harmonic when it lies as near as it can be told.
bool liesAt(const PeriodicLine& l, double frequency_hz, double span_s) {
    const double f = 1.0 / l.period_s.value;
    return std::abs(f - frequency_hz) < std::max(4.0 * l.period_s.sigma * f * f, 0.15 / span_s);
}

double variance(const std::vector<double>& v) {
    const double s = standardDeviation(v);
    return s * s;
}

// Frequencies that stand out, each tested against the noise that the others leave.
struct Search {
    std::vector<double> frequency;
    std::vector<double> alarm;
    Spectrum first; // before anything but drift was taken out
    double firstVariance = 0.0;
    double independent = 1.0;
};

// Uncertainty of the amplitude of a line, from how large amplitudes are beside it when all lines are taken
// out. The air's slow part is level below the inverse of its memory, so that the whole of that range may be
// asked.
double amplitudeNoise(const Spectrum& rest, double variance_, double frequency) {
    constexpr double level_hz = 0.02;
    const double high = std::max(2.0 * frequency, level_hz);
    std::vector<double> squares;
    for (size_t i = 0; i < rest.power.size() && rest.frequency_hz(i) <= high; ++i)
        if (rest.frequency_hz(i) >= std::min(0.3 * frequency, 0.5 * level_hz))
            squares.push_back(2.0 * rest.power[i] * variance_);
    if (squares.size() < 10)
        return 0.0;
    // Squares of noise amplitudes are exponentially distributed: mean = median / ln 2 = 2σ².
    return std::sqrt(median(std::move(squares)) / std::numbers::ln2 / 2.0);
}

Search searchLines(const LineModel& model, std::span<const double> t, double low, double high) {
    Search found;
    const double span = t.back() - t.front();
    const double step = 1.0 / (5.0 * span);
    const auto count = static_cast<size_t>((high - low) / step);
    const Periodogram periodogram(t, low, step, count);
    found.independent = (high - low) * span;
    double slowest = low;
    std::vector<double> passedOver; // twins of lines: looked past
    const auto settle = [&] {
        const auto joint = model.fit(found.frequency, true, low);
        for (size_t k = 0; k < found.frequency.size(); ++k)
            found.frequency[k] = joint.free[k].frequency_hz;
        return joint;
    };
    // Forward: everything that stands out of white noise is a candidate.
    for (size_t round = 0; round < 3 * mostLinesFound && found.frequency.size() < mostLinesFound; ++round) {
        const auto joint = settle();
        // A line that ran to the slow end was drift in disguise: without it, and no longer looked for there.
        const auto ran = std::find_if(found.frequency.begin(), found.frequency.end(),
                                      [&](double f) { return f <= low * 1.0001; });
        if (ran != found.frequency.end()) {
            found.frequency.erase(ran);
            slowest = 2.0 / span;
            continue;
        }
        const Spectrum s = periodogram.of(joint.residual);
        if (round == 0) {
            found.first = s;
            found.firstVariance = variance(joint.residual);
        }
        const auto past = [&](double f) {
            return std::any_of(passedOver.begin(), passedOver.end(),
                               [&](double x) { return std::abs(x - f) < 0.5 / span; });
        };
        // Only what rises and falls within the range is a period; what grows towards its end is drift.
        size_t peak = 0;
        for (size_t i = 1; i + 1 < s.power.size(); ++i)
            if (s.frequency_hz(i) >= slowest && s.power[i] >= s.power[i - 1] && s.power[i] > s.power[i + 1] &&
                (peak == 0 || s.power[i] > s.power[peak]) && !past(s.frequency_hz(i)))
                peak = i;
        if (peak == 0 || falseAlarm(s.power[peak], t.size(), found.independent) > chanceAllowed)
            break;
        const double f = s.frequency_hz(peak);
        // Two lines closer than the series resolves are one, badly fitted.
        const bool twin = std::any_of(found.frequency.begin(), found.frequency.end(),
                                      [&](double x) { return std::abs(x - f) < 0.8 / span; });
        if (twin)
            passedOver.push_back(f);
        else
            found.frequency.push_back(f);
    }
    // Backward: all lines fitted together, each must stand out of the correlated rest too; the weakest goes
    // first.
    for (;;) {
        const auto joint = settle();
        const Spectrum rest = periodogram.of(joint.residual);
        const double left = variance(joint.residual);
        found.alarm.clear();
        size_t worst = 0;
        for (size_t k = 0; k < joint.free.size(); ++k) {
            Measured amplitude = joint.free[k].amplitude;
            // Where the fit took what noise there was, the neighbourhood knows better.
            const double white = joint.sigma * std::sqrt(2.0 / static_cast<double>(t.size()));
            const double beside = amplitudeNoise(rest, left, joint.free[k].frequency_hz);
            amplitude.sigma =
                std::max({white, beside, std::min(amplitude.sigma, 1.5 * std::max(beside, white))});
            found.alarm.push_back(correlatedFalseAlarm(amplitude, found.independent));
            if (found.alarm[k] > found.alarm[worst])
                worst = k;
        }
        if (found.alarm.empty() || found.alarm[worst] <= chanceAllowed)
            break;
        found.frequency.erase(found.frequency.begin() + static_cast<std::ptrdiff_t>(worst));
    }
    return found;
}

struct WormClock {
    std::vector<double> turns; // one a sample
    double period_s = 0.0;
    double sense = 1.0; // −1: the phase runs down
};

// The sum of the significant harmonics as a linear function of their coefficients.
class WormCurve {
public:
    // period: negative where the phase runs down.
    WormCurve(const LineModel::Fit& fit, int firstColumn, const std::vector<int>& strong, double period)
        : fit_(fit), first_(firstColumn), strong_(strong), period_(period) {}

    enum class What { error, rate };
    using Gradient = std::vector<double>; // by the tied coefficients
    Gradient gradient(double phase, What what) const {
        Gradient g(2 * fit_.tied.size(), 0.0);
        for (int h : strong_) {
            const double a = tau * h * phase;
            const double speed = tau * h / period_;
            const auto i = static_cast<size_t>(2 * (h - 1));
            g[i] = what == What::error ? std::sin(a) : speed * std::cos(a);
            g[i + 1] = what == What::error ? std::cos(a) : -speed * std::sin(a);
        }
        return g;
    }
    Measured along(const Gradient& g) const {
        double value = 0.0;
        double square = 0.0;
        for (size_t i = 0; i < g.size(); ++i) {
            const Eigen::Index row = first_ + static_cast<Eigen::Index>(i);
            value += g[i] * fit_.coefficients[row];
            for (size_t j = 0; j < g.size(); ++j)
                square += g[i] * g[j] * fit_.covariance(row, first_ + static_cast<Eigen::Index>(j));
        }
        return {value, std::sqrt(std::max(0.0, square))};
    }
    Measured at(double phase, What what) const { return along(gradient(phase, what)); }
    // Phase of the largest of `sign` × the quantity.
    double extreme(What what, double sign) const {
        double best = 0.0;
        double most = -1e300;
        constexpr int steps = 720;
        for (int i = 0; i < steps; ++i) {
            const double v = sign * at(static_cast<double>(i) / steps, what).value;
            if (v > most)
                most = v, best = static_cast<double>(i) / steps;
        }
        return best;
    }
    // Between the highest and the lowest place.
    Measured peakToPeak() const {
        Gradient g = gradient(extreme(What::error, 1.0), What::error);
        const Gradient low = gradient(extreme(What::error, -1.0), What::error);
        for (size_t i = 0; i < g.size(); ++i)
            g[i] -= low[i];
        return along(g);
    }

private:
    const LineModel::Fit& fit_;
    int first_;
    std::vector<int> strong_;
    double period_;
};

WormError wormFrom(LineModel model, std::span<const double> t, const WormClock& phase,
                   const std::vector<PeriodicLine>& lines) {
    WormError w;
    const double span = t.back() - t.front();
    w.cycles = span / phase.period_s;
    w.period_s.value = phase.period_s;
    const double sampling = medianStep(t);
    int count = 1;
    while (count < 5 && phase.period_s / (count + 1) > 6.0 * sampling)
        ++count;
    std::vector<double> foreign;
    for (const PeriodicLine& l : lines) {
        bool own = false;
        for (int h = 1; h <= count; ++h)
            own |= liesAt(l, h / phase.period_s, span);
        if (!own)
            foreign.push_back(1.0 / l.period_s.value);
    }
    model.tieTo(phase.turns, count);
    const auto joint = model.fit(foreign, false);
    std::vector<int> strong;
    for (int h = 1; h <= count; ++h) {
        const Sinusoid& s = joint.tied[static_cast<size_t>(h - 1)];
        PeriodicLine line;
        line.harmonic = h;
        line.period_s.value = phase.period_s / h;
        line.amplitude_arcsec = s.amplitude;
        line.phase_rad = s.phase_rad;
        const double z = s.amplitude.value / std::max(s.amplitude.sigma, 1e-9);
        line.falseAlarm = std::exp(-0.5 * z * z);
        w.harmonics.push_back(line);
        if (line.falseAlarm < chanceAllowed)
            strong.push_back(h);
    }
    const WormCurve curve(joint, model.tiedColumn(), strong, phase.sense * phase.period_s);
    using What = WormCurve::What;
    constexpr int steps = 72;
    std::vector<std::vector<double>> bins(steps);
    const std::vector<double> cleaned = model.withoutDriftAndFree(joint);
    for (size_t i = 0; i < t.size(); ++i) {
        const double turn = phase.turns[i] - std::floor(phase.turns[i]);
        bins[static_cast<size_t>(turn * steps) % steps].push_back(joint.residual[i]);
        w.samplePhase.push_back(turn);
        w.sample_arcsec.push_back(cleaned[i]);
    }
    for (int i = 0; i < steps; ++i) {
        const double at = (i + 0.5) / steps;
        const Measured e = curve.at(at, What::error);
        w.curve_arcsec.push_back(e.value);
        w.sigma_arcsec.push_back(e.sigma);
        w.rate_arcsec_s.push_back(curve.at(at, What::rate).value);
        w.scatter_arcsec.push_back(standardDeviation(bins[static_cast<size_t>(i)]));
    }
    w.peakToPeak_arcsec = curve.peakToPeak();
    const Measured fastest = curve.at(curve.extreme(What::rate, 1.0), What::rate);
    const Measured slowest = curve.at(curve.extreme(What::rate, -1.0), What::rate);
    w.maxRate_arcsec_s =
        std::abs(slowest.value) > fastest.value ? Measured{std::abs(slowest.value), slowest.sigma} : fastest;
    double squares = 0.0;
    double error = 0.0;
    for (int h : strong) {
        const Measured a = w.harmonics[static_cast<size_t>(h - 1)].amplitude_arcsec;
        squares += 0.5 * a.value * a.value;
        error += std::pow(0.5 * a.value * a.sigma, 2);
    }
    w.rms_arcsec = {std::sqrt(squares), squares > 0.0 ? std::sqrt(error / squares) : 0.0};
    return w;
}

// The turn of the worm: the period among whose parts (half, third …) most of what stands out is found. The
// strongest line may be such a part. None: 0.
Measured wormAmong(const std::vector<PeriodicLine>& lines, double span) {
    constexpr double shortestWorm_s = 140.0, longestWorm_s = 1500.0;
    constexpr int parts = 3; // a line may be the whole turn, its half or its third
    constexpr int multiples = 5;
    constexpr double more = 1.05; // a longer turn must explain so much more than its part does
    Measured best;
    double most = 0.0;
    for (int k = 1; k <= parts; ++k)
        for (const PeriodicLine& l : lines) {
            const Measured period{k * l.period_s.value, k * l.period_s.sigma};
            if (period.value < shortestWorm_s || period.value > longestWorm_s ||
                (k > 1 && span < leastTurns * period.value))
                continue;
            double explained = 0.0;
            for (const PeriodicLine& other : lines)
                for (int h = 1; h <= multiples; ++h)
                    if (liesAt(other, h / period.value, span)) {
                        explained += std::pow(other.amplitude_arcsec.value, 2);
                        break;
                    }
            if (explained > more * most) {
                most = explained;
                best = period;
            }
        }
    return best;
}

std::vector<double> multiplied(std::vector<double> turns, int by) {
    for (double& x : turns)
        x *= by;
    return turns;
}

} // namespace

double PeriodicResult::amplitudeAt(size_t i) const {
    return std::sqrt(2.0 * spectrum.power[i] * variance_arcsec2);
}

Expected<PeriodicResult> findPeriodic(std::span<const double> t, std::span<const double> v,
                                      const PeriodicOptions& options) {
    if (t.size() < 30)
        return problem(Text::say("The run is too short to look for periods."),
                       Text::say("%1; at least 30 are needed.")
                           .arg(Text::say("%n row|%n rows", "", static_cast<int>(t.size()))),
                       Text::say("Record longer."));
    const double span = t.back() - t.front();
    PeriodicResult result;
    result.longestPeriod_s = span / leastTurns;
    const double low = leastTurns / span;
    const double high = std::min(0.5 / std::max(medianStep(t), 1e-3), 0.25);
    const std::vector<int> oneLevel(options.level.empty() ? t.size() : 0, 0);
    const std::span<const int> level = options.level.empty() ? std::span<const int>(oneLevel) : options.level;
    const LineModel model(t, v, level, *std::max_element(level.begin(), level.end()) + 1);
    Search found;
    if (high > 2.0 * low)
        found = searchLines(model, t, low, high);
    auto joint = model.fit(found.frequency, true, low);
    std::vector<double> frequencies;
    for (size_t k = 0; k < joint.free.size(); ++k) {
        const Sinusoid& s = joint.free[k];
        frequencies.push_back(s.frequency_hz);
        PeriodicLine line;
        line.period_s = {1.0 / s.frequency_hz, s.sigmaFrequency_hz / (s.frequency_hz * s.frequency_hz)};
        line.amplitude_arcsec = s.amplitude;
        line.phase_rad = s.phase_rad;
        line.falseAlarm = found.alarm[k];
        result.lines.push_back(line);
    }
    std::sort(result.lines.begin(), result.lines.end(), [](const PeriodicLine& a, const PeriodicLine& b) {
        return a.amplitude_arcsec.value > b.amplitude_arcsec.value;
    });
    result.spectrum = std::move(found.first);
    result.variance_arcsec2 = found.firstVariance;
    result.alarm_arcsec = joint.sigma * joint.inflation *
                          std::sqrt(2.0 / static_cast<double>(t.size()) * 2.0 *
                                    std::log(cautious * std::max(found.independent, 1.0) / chanceAllowed));
    result.residual_arcsec = joint.sigma;

    DriftModel drift;
    WormClock phase;
    bool given = options.wormPeriod_s > 0.0;
    Measured period{options.wormPeriod_s, 0.0};
    // The mount's own turns count unless the person says that the worm is another one.
    bool byMount = false;
    if (options.wormTurns.size() == t.size()) {
        constexpr double readTo = 1e-6; // turns, as tables are written
        const double rate = wormRateOf(t, options.wormTurns);
        const double own = std::abs(rate) > 1e-5 ? 1.0 / std::abs(rate) : 0.0;
        phase.sense = rate < 0.0 ? -1.0 : 1.0;
        byMount = own > 0.0 && (!given || std::abs(own / period.value - 1.0) < 0.01);
        if (byMount && !given)
            period = {own, own * own * readTo * std::numbers::sqrt2 / span};
        given |= byMount;
    }
    if (options.worm && !given)
        period = wormAmong(result.lines, span);
    if (options.worm && period.value > 0.0) {
        phase.period_s = period.value;
        if (byMount)
            phase.turns = options.wormTurns;
        else {
            phase.sense = 1.0;
            for (double x : t)
                phase.turns.push_back(x / period.value);
        }
        if (span >= leastTurns * period.value) {
            result.worm = wormFrom(model, t, phase, result.lines);
            result.worm->given = given;
            result.worm->byMount = byMount;
            result.worm->period_s.sigma = period.sigma;
            for (PeriodicLine& l : result.lines) {
                const int h = static_cast<int>(std::lround(period.value / l.period_s.value));
                if (h >= 1 && h <= 5 && liesAt(l, h / period.value, span))
                    l.harmonic = h;
            }
            for (int h = 1; h <= 3; ++h)
                drift.turns.push_back(multiplied(phase.turns, h));
        } else {
            // Less than a turn looks much like drift: what of it could be worm is its uncertainty.
            LineModel swaying = model;
            swaying.tieTo(phase.turns, 1);
            joint = swaying.fit(frequencies, false);
            drift.turns = {phase.turns};
        }
    }
    // Slow waves of no gear are as likely a walk that looks like one: they are left to the walk.
    constexpr double fewest = 12.0; // turns
    for (const PeriodicLine& l : result.lines)
        if (l.harmonic == 0 && l.period_s.value < span / fewest)
            drift.frequency_hz.push_back(1.0 / l.period_s.value);
    const Measured slope_per_s = fitDrift(t, v, level, drift);
    result.drift_arcsec_min = {60.0 * slope_per_s.value, 60.0 * slope_per_s.sigma};
    result.residual = joint.residual;
    result.driftVariance_arcsec2 = std::pow(joint.slope.value * span, 2) / 12.0;
    for (const PeriodicLine& l : result.lines)
        result.periodicVariance_arcsec2 += 0.5 * std::pow(l.amplitude_arcsec.value, 2);
    return result;
}

} // namespace nordstjerna
