#include "told_loop.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace nordstjerna {

namespace {

constexpr int horizon = 40; // frames

FilterModel truthOf(const LateWorld& w, bool worm) {
    FilterModel m;
    m.walk_arcsec2_s = w.walk_arcsec * w.walk_arcsec / 60.0;
    m.rateWalk_arcsec2_s3 = 0.0;
    m.airMemory_s = w.slow_s;
    m.airShare = w.slowShare / (1.0 - w.slowShare);
    if (worm) {
        m.harmonics = 2;
        m.priorHarmonic_arcsec = {w.amplitude_arcsec / std::numbers::sqrt2,
                                  w.second_arcsec / std::numbers::sqrt2, 0.0, 0.0};
    }
    return m;
}

double shareOf(double from_s, double start_s, double exposure_s) {
    return std::clamp((start_s + exposure_s - from_s) / exposure_s, 0.0, 1.0);
}

std::vector<double> gainsOf(const LateWorld& w) {
    const double pace = w.exposure_s + w.readOut_s;
    Eigen::MatrixXd answer = Eigen::MatrixXd::Zero(horizon, horizon);
    for (int frame = 0; frame < horizon; ++frame)
        for (int pulse = 0; pulse <= frame; ++pulse)
            answer(frame, pulse) = shareOf(w.delay_s, (frame - pulse) * pace, w.exposure_s);
    // A trace of weight on the pulses: the last ones of the horizon show in no frame.
    constexpr double trace = 1e-3;
    const Eigen::MatrixXd normal =
        answer.transpose() * answer + trace * Eigen::MatrixXd::Identity(horizon, horizon);
    const Eigen::VectorXd first = answer * normal.ldlt().solve(Eigen::VectorXd::Unit(horizon, 0));
    return {first.begin(), first.end()};
}

} // namespace

ToldAxis::ToldAxis(const LateWorld& world, bool worm)
    : world_(world), filter_(truthOf(world, worm)), gains_(gainsOf(world)) {}

double ToldAxis::inFrame(double start_s) const {
    double sum = whole_;
    for (const Pulse& p : pulses_)
        sum += p.motion_arcsec * shareOf(p.from_s, start_s, world_.exposure_s);
    return sum;
}

double ToldAxis::answer(double start, double error, double sent) {
    pulses_.push_back({start + world_.delay_s, sent});
    const double middle = start + 0.5 * world_.exposure_s;
    filter_.advance(last_s_ < 0.0 ? 0.0 : start - last_s_, middle / world_.period_s);
    last_s_ = start;
    while (!pulses_.empty() && shareOf(pulses_.front().from_s, start, world_.exposure_s) >= 1.0) {
        whole_ += pulses_.front().motion_arcsec;
        pulses_.erase(pulses_.begin());
    }
    filter_.update(error - inFrame(start),
                   (1.0 - world_.slowShare) * world_.noise_arcsec * world_.noise_arcsec);
    const double pace = world_.exposure_s + world_.readOut_s;
    double pulse = 0.0;
    for (size_t m = 0; m < gains_.size(); ++m) {
        const double ahead = static_cast<double>(m + 1) * pace;
        pulse -= gains_[m] * (filter_.seenPlace(ahead, WormTurn((middle + ahead) / world_.period_s)) +
                              inFrame(start + ahead));
    }
    return pulse;
}

LateRun guideTold(const LateWorld& world, double minutes) {
    LateWorld w = world;
    w.backlashDec_arcsec = 0.0;
    w.loseEvery = 0.0;
    ToldAxis ra(w, true);
    ToldAxis dec(w, false);
    return guideLate(
        w, minutes,
        [&](const LoopInput& in) {
            const double start = in.t_s - 0.5 * w.exposure_s;
            LoopOutput out;
            constexpr double perMs = 0.001 * lateRate_arcsec_s;
            out.pulse = {ra.answer(start, in.error->dra_arcsec, perMs * in.sent.ra_ms) / perMs,
                         dec.answer(start, in.error->ddec_arcsec, -perMs * in.sent.dec_ms) / -perMs};
            return out;
        },
        [](const SkyError&) {});
}

} // namespace nordstjerna
