#include "core/motion/axis_smoother.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

constexpr std::size_t rowLength = AxisFilter::most;

// What later frames say of the state, carried back frame by frame: the adjoint and its information.
class Adjoint {
public:
    explicit Adjoint(int length)
        : n_(static_cast<std::size_t>(length)), information_(rowLength * rowLength, 0.0) {}

    // Of this frame, as those before it foretold it.
    void take(const AxisFilter::Step& step) {
        const double weight = 1.0 / step.total;
        double along = 0.0;       // gain · adjoint
        AxisFilter::Row turned{}; // information · gain
        double gained = 0.0;
        for (std::size_t i = 0; i < n_; ++i) {
            const double* const row = &information_[i * rowLength];
            double sum = 0.0;
            for (std::size_t j = 0; j < n_; ++j)
                sum += row[j] * step.gain[j];
            turned[i] = weight * sum;
            along += weight * step.gain[i] * value_[i];
            gained += weight * step.gain[i] * turned[i];
        }
        for (std::size_t i = 0; i < n_; ++i) {
            value_[i] -= step.observer[i] * (along + weight * step.innovation);
            double* const row = &information_[i * rowLength];
            const double own = step.observer[i] * (gained + weight) - turned[i];
            for (std::size_t j = 0; j < n_; ++j)
                row[j] += own * step.observer[j] - step.observer[i] * turned[j];
        }
    }

    // To the frame before, so much earlier; the slow air forgets meanwhile.
    void goBack(double dt_s, double airMemory_s) {
        const double keep = std::exp(-dt_s / airMemory_s);
        constexpr std::size_t place = AxisFilter::placeAt, rate = AxisFilter::rateAt, air = AxisFilter::airAt;
        value_[rate] += dt_s * value_[place];
        value_[air] *= keep;
        for (std::size_t j = 0; j < n_; ++j)
            information_[rate * rowLength + j] += dt_s * information_[place * rowLength + j];
        for (std::size_t i = 0; i < n_; ++i)
            information_[i * rowLength + rate] += dt_s * information_[i * rowLength + place];
        for (std::size_t j = 0; j < n_; ++j)
            information_[air * rowLength + j] *= keep;
        for (std::size_t i = 0; i < n_; ++i)
            information_[i * rowLength + air] *= keep;
    }

    // Of a frame, before it is taken itself.
    Measured mount(const AxisFilter::Step& step) const {
        double place = step.mountPlace;
        double variance = step.mountVariance;
        for (std::size_t i = 0; i < n_; ++i) {
            place -= step.mountGain[i] * value_[i];
            const double* const row = &information_[i * rowLength];
            for (std::size_t j = 0; j < n_; ++j)
                variance -= step.mountGain[i] * row[j] * step.mountGain[j];
        }
        return {place, std::sqrt(std::max(variance, 0.0))};
    }

private:
    std::size_t n_;
    AxisFilter::Row value_{};
    std::vector<double> information_;
};

} // namespace

WhiteNoise::WhiteNoise(const FilterModel& model, double cadence_s)
    : walked_arcsec2_(model.walk_arcsec2_s * cadence_s / 3.0) {
    const double r = std::exp(-cadence_s / std::max(model.airMemory_s, 1e-3));
    withAir_ = 1.0 + model.airShare * (1.5 + 0.5 * r * r - 2.0 * r) / 1.5;
}

double WhiteNoise::of(double variance) const {
    constexpr double least = 0.05;
    return std::max(variance - walked_arcsec2_, least * variance) / withAir_;
}

std::vector<Measured> smoothedMount(const AxisFrames& frames, FilterModel model,
                                    std::vector<double>* surprise) {
    model.turnDoubt_rad_s = 0.0;
    const std::vector<double>& t = frames.t_s;
    const WhiteNoise noise(model, medianStep(t));
    AxisFilter filter(model);
    std::vector<AxisFilter::Step> steps(t.size());
    for (std::size_t i = 0; i < t.size(); ++i) {
        const double dt = i ? t[i] - t[i - 1] : 0.0;
        filter.advance(dt, frames.worm[i]);
        filter.update(frames.place_arcsec[i], noise.of(frames.variance_arcsec2[i]), &steps[i]);
        if (surprise)
            surprise->push_back(steps[i].innovation);
    }
    std::vector<Measured> track(t.size());
    Adjoint later(filter.states());
    for (std::size_t i = t.size(); i-- > 0;) {
        track[i] = later.mount(steps[i]);
        later.take(steps[i]);
        if (i > 0)
            later.goBack(t[i] - t[i - 1], model.airMemory_s);
    }
    return track;
}

} // namespace nordstjerna
