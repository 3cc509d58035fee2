#include "core/guide/axis_filter.h"

#include <algorithm>
#include <cmath>

#include "core/base/angle.h"

namespace nordstjerna {

namespace {
constexpr double firstPlace_arcsec = 1000.0;
} // namespace

AxisFilter::AxisFilter(const FilterModel& model)
    : model_(model), turns_(model.harmonics > 0 && model.turnDoubt_rad_s > 0.0) {
    n_ = linesAt() + 2 * static_cast<int>(model_.lines_s.size());
    cov(placeAt, placeAt) = firstPlace_arcsec * firstPlace_arcsec;
    cov(rateAt, rateAt) = model_.priorRate_arcsec_s * model_.priorRate_arcsec_s;
    for (int h = 0; h < model_.harmonics; ++h)
        for (int k = 0; k < 2; ++k)
            cov(wormAt + 2 * h + k, wormAt + 2 * h + k) =
                std::pow(model_.priorHarmonic_arcsec[static_cast<size_t>(h)], 2);
    if (turns_)
        cov(linesAt() - 1, linesAt() - 1) = model_.turnDoubt_rad_s * model_.turnDoubt_rad_s;
    for (int i = linesAt(); i < n_; ++i)
        cov(i, i) = model_.priorLine_arcsec * model_.priorLine_arcsec;
}

Measured AxisFilter::turnsFaster_rad_s() const {
    if (!turns_)
        return {};
    const int at = linesAt() - 1;
    return {x_[static_cast<size_t>(at)], std::sqrt(std::max(covariance(at, at), 0.0))};
}

// In dt the phase of the worm gains on the counted one; with the counted phase its coefficients turn. What
// their turning tells of the gain counts only as far as they stand out from their own uncertainty: before, it
// would be made of nothing, and believed.
void AxisFilter::turnWorm(double dt) {
    const int at = linesAt() - 1;
    const double gained = x_[static_cast<size_t>(at)] * dt;
    for (int h = 1; h <= model_.harmonics; ++h) {
        const int a = wormAt + 2 * (h - 1);
        const int b = a + 1;
        const double c = std::cos(h * gained);
        const double s = std::sin(h * gained);
        double& xa = x_[static_cast<size_t>(a)];
        double& xb = x_[static_cast<size_t>(b)];
        const double turnedA = c * xa + s * xb;
        xb = c * xb - s * xa;
        xa = turnedA;
        for (int j = 0; j < n_; ++j) {
            const double pa = covariance(a, j);
            const double pb = covariance(b, j);
            cov(a, j) = c * pa + s * pb;
            cov(b, j) = c * pb - s * pa;
        }
        for (int i = 0; i < n_; ++i) {
            const double pa = covariance(i, a);
            const double pb = covariance(i, b);
            cov(i, a) = c * pa + s * pb;
            cov(i, b) = c * pb - s * pa;
        }
        const double size2 = xa * xa + xb * xb;
        const double doubt2 = covariance(a, a) + covariance(b, b);
        const double told = size2 > doubt2 ? 1.0 - doubt2 / size2 : 0.0;
        if (told <= 0.0)
            continue;
        const double slopeA = told * h * dt * xb;
        const double slopeB = -told * h * dt * xa;
        for (int j = 0; j < n_; ++j) {
            cov(a, j) += slopeA * covariance(at, j);
            cov(b, j) += slopeB * covariance(at, j);
        }
        for (int i = 0; i < n_; ++i) {
            cov(i, a) += slopeA * covariance(i, at);
            cov(i, b) += slopeB * covariance(i, at);
        }
    }
    // Pulses turn the worm, too, and drift makes them one-sided: it never turns quite evenly.
    constexpr double wanders = 0.04; // of the doubt, in an hour
    cov(at, at) += std::pow(wanders * model_.turnDoubt_rad_s, 2) * dt / 3600.0;
}

void AxisFilter::setWorm(const WormPrior& prior) {
    for (int i = 0; i < 2 * model_.harmonics; ++i) {
        const int at = wormAt + i;
        for (int j = 0; j < n_; ++j)
            cov(at, j) = cov(j, at) = 0.0;
        const bool known = i < static_cast<int>(prior.coefficient.size());
        x_[static_cast<size_t>(at)] = known ? prior.coefficient[static_cast<size_t>(i)].value : 0.0;
        cov(at, at) = std::pow(known ? prior.coefficient[static_cast<size_t>(i)].sigma
                                     : model_.priorHarmonic_arcsec[static_cast<size_t>(i / 2)],
                               2);
    }
}

void AxisFilter::addLine(double period, double sigma) {
    constexpr std::size_t mostLines = 2;
    if (model_.lines_s.size() >= mostLines || n_ + 2 > most)
        return;
    model_.lines_s.push_back(period);
    model_.priorLine_arcsec = sigma;
    for (int i = n_; i < n_ + 2; ++i) {
        x_[static_cast<std::size_t>(i)] = 0.0;
        for (int j = 0; j < n_ + 2; ++j)
            cov(i, j) = cov(j, i) = 0.0;
        cov(i, i) = sigma * sigma;
    }
    n_ += 2;
}

void AxisFilter::beginAt(const AxisFilter& other, double sigma) {
    x_[placeAt] = other.x_[placeAt];
    cov(placeAt, placeAt) = other.covariance(placeAt, placeAt) + sigma * sigma;
    cov(airAt, airAt) = other.airVariance_;
    time_s_ = other.time_s_;
    airVariance_ = other.airVariance_;
}

AxisFilter::Row AxisFilter::observer(double ahead, const WormTurn& phase, bool air) const {
    Row h; // NOLINT: its first n_, and nobody reads farther
    h[placeAt] = 1.0;
    h[rateAt] = ahead;
    h[airAt] = !air ? 0.0 : ahead == 0.0 ? 1.0 : std::exp(-ahead / model_.airMemory_s);
    // Sine and cosine of the multiples from those of the first.
    const double c = phase.cosine;
    const double s = phase.sine;
    double ck = c;
    double sk = s;
    for (int k = 0; k < model_.harmonics; ++k) {
        h[static_cast<size_t>(wormAt + 2 * k)] = ck;
        h[static_cast<size_t>(wormAt + 2 * k + 1)] = sk;
        const double next = ck * c - sk * s;
        sk = sk * c + ck * s;
        ck = next;
    }
    int at = linesAt();
    if (turns_)
        h[static_cast<size_t>(at - 1)] = 0.0;
    for (double period : model_.lines_s) {
        const double turn = tau * (time_s_ + ahead) / period;
        h[static_cast<size_t>(at++)] = std::cos(turn);
        h[static_cast<size_t>(at++)] = std::sin(turn);
    }
    return h;
}

Measured AxisFilter::along(const Row& h) const {
    double variance = 0.0;
    for (std::size_t i = 0; i < static_cast<std::size_t>(n_); ++i) {
        const double* const row = &p_[i * most];
        double off = 0.0; // one half of it, for it is symmetric
        for (std::size_t j = 0; j < i; ++j)
            off += row[j] * h[j];
        variance += h[i] * (row[i] * h[i] + 2.0 * off);
    }
    return {valueAlong(h), std::sqrt(std::max(variance, 0.0))};
}

double AxisFilter::spreadAlong(const Row& h, Row& gain) const {
    double spread = 0.0;
    const auto n = static_cast<std::size_t>(n_);
    for (std::size_t i = 0; i < n; ++i) {
        const double* const row = &p_[i * most];
        double sum = 0.0;
        for (std::size_t j = 0; j < n; ++j)
            sum += row[j] * h[j];
        gain[i] = sum;
        spread += h[i] * sum;
    }
    return spread;
}

void AxisFilter::advance(double dt, const WormTurn& phase) {
    phase_ = phase;
    time_s_ += dt;
    if (dt <= 0.0)
        return;
    // Place gains rate × dt; the slow air forgets.
    x_[placeAt] += dt * x_[rateAt];
    for (int j = 0; j < n_; ++j)
        cov(placeAt, j) += dt * covariance(rateAt, j);
    cov(placeAt, placeAt) += dt * covariance(placeAt, rateAt);
    for (int j = rateAt; j < n_; ++j)
        cov(j, placeAt) = covariance(placeAt, j);
    const double keep = std::exp(-dt / model_.airMemory_s);
    x_[airAt] *= keep;
    for (int j = 0; j < n_; ++j)
        cov(airAt, j) *= keep;
    cov(airAt, airAt) *= keep;
    for (int j = 0; j < n_; ++j)
        cov(j, airAt) = covariance(airAt, j);
    const double q = model_.rateWalk_arcsec2_s3;
    cov(placeAt, placeAt) += model_.walk_arcsec2_s * dt + q * dt * dt * dt / 3.0;
    cov(placeAt, rateAt) += q * dt * dt / 2.0;
    cov(rateAt, placeAt) += q * dt * dt / 2.0;
    cov(rateAt, rateAt) += q * dt;
    cov(airAt, airAt) += (1.0 - keep * keep) * airVariance_;
    if (turns_)
        turnWorm(dt);
    if (model_.wormForgets_s > 0.0)
        for (int i = 0; i < 2 * model_.harmonics; ++i)
            cov(wormAt + i, wormAt + i) +=
                std::pow(model_.priorHarmonic_arcsec[static_cast<size_t>(i / 2)], 2) * dt /
                model_.wormForgets_s;
    if (model_.lineForgets_s > 0.0)
        for (int i = linesAt(); i < n_; ++i)
            cov(i, i) += model_.priorLine_arcsec * model_.priorLine_arcsec * dt / model_.lineForgets_s;
}

double AxisFilter::update(double place, double variance, Step* step) {
    // The slow air is a share of what the air does, which is known by its fast part.
    if (airVariance_ == 0.0)
        cov(airAt, airAt) = model_.airShare * variance;
    airVariance_ = model_.airShare * variance;
    const Row h = observer(0.0, phase_, true);
    Row gain; // NOLINT: as above
    const double spread = spreadAlong(h, gain);
    const auto n = static_cast<std::size_t>(n_);
    const double innovation = place - valueAlong(h);
    double total = spread + variance;
    const double away = std::abs(innovation) / std::sqrt(total);
    constexpr double huber = 4.0;
    const double likelihood =
        -0.5 * (std::log(total) + (away < huber ? away * away : huber * (2.0 * away - huber)));
    // Far out: as if it had been measured so much worse that it were only just within the bound.
    if (away > huber)
        total *= away / huber;
    if (step) {
        step->observer = h;
        step->gain = gain;
        step->innovation = innovation;
        step->total = total;
    }
    for (std::size_t i = 0; i < n; ++i) {
        const double share = gain[i] / total;
        x_[i] += share * innovation;
        double* const row = &p_[i * most];
        for (std::size_t j = 0; j < n; ++j)
            row[j] -= share * gain[j];
    }
    if (step) {
        const Row alone = observer(0.0, phase_, false);
        step->mountPlace = valueAlong(alone);
        step->mountVariance = spreadAlong(alone, step->mountGain);
    }
    return likelihood;
}

void AxisFilter::releasePlace(double sigma) {
    cov(placeAt, placeAt) += sigma * sigma;
}

double AxisFilter::walked(double ahead) const {
    return std::max(0.0,
                    model_.walk_arcsec2_s * ahead + model_.rateWalk_arcsec2_s3 * ahead * ahead * ahead / 3.0);
}

Measured AxisFilter::mount(double ahead, const WormTurn& phase) const {
    const Measured m = along(observer(ahead, phase, false));
    return {m.value, std::sqrt(m.sigma * m.sigma + walked(ahead))};
}

Measured AxisFilter::seen(double ahead, const WormTurn& phase) const {
    const Measured m = along(observer(ahead, phase, true));
    const double keep = std::exp(-2.0 * ahead / model_.airMemory_s);
    return {m.value, std::sqrt(m.sigma * m.sigma + walked(ahead) + (1.0 - keep) * airVariance_)};
}

double AxisFilter::mountPlace(double ahead, const WormTurn& phase) const {
    return valueAlong(observer(ahead, phase, false));
}

double AxisFilter::seenPlace(double ahead, const WormTurn& phase) const {
    return valueAlong(observer(ahead, phase, true));
}

double AxisFilter::valueAlong(const Row& h) const {
    double value = 0.0;
    for (std::size_t i = 0; i < static_cast<std::size_t>(n_); ++i)
        value += h[i] * x_[i];
    return value;
}

Measured AxisFilter::rate() const {
    return {x_[rateAt], std::sqrt(std::max(covariance(rateAt, rateAt), 0.0))};
}

Measured AxisFilter::harmonic(int h, bool sine) const {
    const int i = wormAt + 2 * (h - 1) + (sine ? 1 : 0);
    return {x_[static_cast<size_t>(i)], std::sqrt(std::max(covariance(i, i), 0.0))};
}

} // namespace nordstjerna
