#include "core/motion/mount_track.h"

#include <cmath>

#include "core/base/statistics.h"
#include "core/guide/noise_meter.h"
#include "core/guide/worm_phase.h"
#include "core/motion/line_model.h"
#include "core/motion/loop_bound.h"

namespace nordstjerna {

namespace {

std::vector<Measured> smooth(const std::vector<double>& t, const std::vector<double>& place,
                             const std::vector<double>& variance, const std::vector<double>& phase,
                             const FilterModel& model, std::vector<double>& surprise) {
    const size_t n = t.size();
    std::vector<Measured> track(n);
    AxisFilter forward(model);
    for (size_t i = 0; i < n; ++i) {
        forward.advance(i ? t[i] - t[i - 1] : 0.0, phase[i]);
        surprise.push_back(place[i] - forward.seen(0.0, phase[i]).value);
        forward.update(place[i], variance[i]);
        track[i] = forward.mount(0.0, phase[i]);
    }
    AxisFilter backward(model);
    for (size_t i = n; i-- > 0;) {
        backward.advance(i + 1 < n ? t[i + 1] - t[i] : 0.0, phase[i]);
        if (i + 1 < n) {
            // Of the frames behind this one only.
            const Measured b = backward.mount(0.0, phase[i]);
            const double wf = 1.0 / std::max(track[i].sigma * track[i].sigma, 1e-9);
            const double wb = 1.0 / std::max(b.sigma * b.sigma, 1e-9);
            track[i] = {(wf * track[i].value + wb * b.value) / (wf + wb), 1.0 / std::sqrt(wf + wb)};
        }
        backward.update(place[i], variance[i]);
    }
    return track;
}

// Variance of each frame's own noise, as the controllers see it.
std::vector<double> variances(const std::vector<double>& t, const std::vector<double>& place,
                              const std::vector<double>& centroid) {
    NoiseMeter meter;
    std::vector<double> v;
    for (size_t i = 0; i < t.size(); ++i) {
        meter.feed(t[i], place[i], centroid[i]);
        v.push_back(meter.variance_arcsec2());
    }
    return v;
}

} // namespace

MountTrack trackMount(const Disturbance& d) {
    WormPhase worm(d.priors.ra.wormPeriod_s);
    std::vector<double> phase;
    for (size_t i = 0; i < d.t_s.size(); ++i) {
        worm.feed(d.t_s[i], std::isfinite(d.worm_turns[i]) ? std::optional(d.worm_turns[i]) : std::nullopt);
        phase.push_back(worm.turns());
    }
    MountTrack track;
    track.ra = smooth(d.t_s, d.ra_arcsec, variances(d.t_s, d.ra_arcsec, d.centroid_arcsec), phase, d.raModel,
                      track.raSurprise);
    track.dec = smooth(d.t_s, d.dec_arcsec, variances(d.t_s, d.dec_arcsec, d.centroid_arcsec), phase,
                       d.decModel, track.decSurprise);
    return track;
}

LoopBound loopBound(const Disturbance& d, const MountTrack& track) {
    const auto least = [&](const std::vector<double>& place, const std::vector<double>& surprise) {
        const size_t from = std::min(d.judgedFrom(), surprise.size());
        const double byModel = standardDeviation({surprise.data() + from, surprise.size() - from});
        const double byRegression = predictionBound(place, place);
        return byRegression > 0.0 ? std::min(byModel, byRegression) : byModel;
    };
    return {least(d.ra_arcsec, track.raSurprise), least(d.dec_arcsec, track.decSurprise)};
}

Measured mountPartRms(const std::vector<Measured>& track, const std::vector<double>& load, size_t from) {
    std::vector<double> rest;
    double hidden = 0.0; // mean square of what the track does not know
    for (size_t i = from; i < std::min(track.size(), load.size()); ++i) {
        rest.push_back(track[i].value + load[i]);
        hidden += track[i].sigma * track[i].sigma;
    }
    if (rest.size() < 10)
        return {0.0, 1.0};
    hidden /= static_cast<double>(rest.size());
    const double seen = standardDeviation(rest);
    // The filters' own ± are a little too large, their noises being chosen generously.
    constexpr double generous = 0.75;
    hidden *= generous;
    const double square = seen * seen + hidden;
    const double value = std::sqrt(square);
    // How far the figure may be from what really was: errors of the track add to the motion at random, some
    // frames long each; and its own ± comes from a model that is an estimate itself.
    constexpr double together = 12.0;
    const double independent = std::max(1.0, static_cast<double>(rest.size()) / together);
    const double random = 2.0 * seen * std::sqrt(hidden / independent);
    constexpr double modelTrust = 0.65;
    return {value, 0.5 * std::hypot(random, modelTrust * hidden) / std::max(value, 1e-6)};
}

Measured rmsWithSigma(std::vector<double> v) {
    if (v.size() < 3)
        return {};
    const double rms = standardDeviation(v);
    const double middle = mean(v);
    for (double& x : v)
        x = (x - middle) * (x - middle);
    // The squares hang together as their own autocorrelation says.
    const double inflation = slowInflation(v);
    const double sigmaSquare = standardDeviation(v) * inflation / std::sqrt(static_cast<double>(v.size()));
    return {rms, 0.5 * sigmaSquare / std::max(rms, 1e-6)};
}

} // namespace nordstjerna
