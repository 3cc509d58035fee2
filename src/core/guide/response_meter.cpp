#include "core/guide/response_meter.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {
constexpr double delaysTried_s[] = {0.0, 0.25, 0.5, 0.8, 1.2, 1.6, 2.0, 2.5,
                                    3.0, 3.6,  4.2, 4.9, 5.7, 6.6, 7.6};
constexpr double longestDelay_s = 7.6;
// How freely the axis wanders: more than mounts do, or a standing axis that takes no pulses would explain a
// loop that works well.
constexpr double walk_arcsec2_s = 3e-3;
constexpr double leastRateWalk_arcsec2_s3 = 4e-4;
constexpr double largePulse = 5.0; // σ of a place: pulses from which the gain is measured
// And beside what the axis does by itself: pulses that hold a fast worm follow it, and tell no gain from it.
constexpr double besideItself = 2.5;
constexpr double rateSigma = 0.05;    // ″/s, before the first frames
constexpr double gainPrior = 0.3;     // standard deviation
constexpr double gainWalk = 5e-5;     // variance, from one large pulse to the next
constexpr double oddsMemory = 0.999;  // of what was found likelier, each frame
constexpr double clearOdds = 8.0;     // natural logarithm, from which on it is reckoned with
constexpr double refutedOdds = -2.0;  // and below which no longer
constexpr double farOffSquare = 12.0; // in σ²: what is beyond counts no more than this
} // namespace

ResponseMeter::ResponseMeter() {
    for (double delay : delaysTried_s)
        ideas_.push_back({delay});
}

// How much of a pulse a frame shows that is exposed evenly over its time.
double ResponseMeter::share(const Pulse& p, double frame_s, double delay_s) {
    const double end_s = frame_s + 0.5 * p.length_s;
    return std::clamp((end_s - p.from_s - delay_s) / p.length_s, 0.0, 1.0);
}

void ResponseMeter::sent(double frame_s, double exposure_s, double motion_arcsec) {
    before_s_ = last_s_;
    last_s_ = frame_s;
    const double length = std::max(exposure_s, 0.01);
    if (motion_arcsec != 0.0)
        pulses_.push_back({frame_s - 0.5 * length, length, motion_arcsec});
    const double oldest = before_s_.value_or(frame_s) - longestDelay_s;
    while (!pulses_.empty() && pulses_.front().from_s + 2.0 * pulses_.front().length_s < oldest)
        pulses_.pop_front();
}

double ResponseMeter::pending_arcsec(double delay_s) const {
    double sum = 0.0;
    if (last_s_)
        for (const Pulse& p : pulses_)
            sum += p.motion_arcsec * (1.0 - share(p, *last_s_, delay_s));
    return sum;
}

double ResponseMeter::shown_arcsec(double delay_s) const {
    double sum = 0.0;
    if (last_s_)
        for (const Pulse& p : pulses_)
            sum += p.motion_arcsec *
                   (share(p, *last_s_, delay_s) - (before_s_ ? share(p, *before_s_, delay_s) : 0.0));
    return sum;
}

bool ResponseMeter::tellsGain(double shown, double dt, double noise) const {
    const double ownRate2 = asCalibrated_.state[1] * asCalibrated_.state[1] + asCalibrated_.covariance(1, 1);
    return shown * shown > largePulse * largePulse * noise &&
           shown * shown > besideItself * besideItself * dt * dt * ownRate2;
}

void ResponseMeter::advance(Idea& i, double dt, double noise) const {
    const double shown = shown_arcsec(i.delay_s);
    Eigen::Matrix3d step = Eigen::Matrix3d::Identity();
    step(0, 1) = dt;
    if (tellsGain(shown, dt, noise))
        step(0, 2) = shown;
    else
        i.state[0] += shown;
    i.state = step * i.state;
    i.state[0] += foretold_arcsec_;
    i.covariance = step * i.covariance * step.transpose();
    i.covariance(0, 0) += walk_arcsec2_s * dt + rateWalk_arcsec2_s3_ * dt * dt * dt / 3.0;
    i.covariance(0, 1) += 0.5 * rateWalk_arcsec2_s3_ * dt * dt;
    i.covariance(1, 0) = i.covariance(0, 1);
    i.covariance(1, 1) += rateWalk_arcsec2_s3_ * dt;
    // Between large pulses nothing is learnt of the gain.
    if (step(0, 2) == 0.0)
        for (int k : {0, 1})
            i.covariance(2, k) = i.covariance(k, 2) = 0.0;
    else if (&i != &asCalibrated_)
        i.covariance(2, 2) += gainWalk;
}

void ResponseMeter::update(Idea& i, double dt, double place, double noise) const {
    advance(i, dt, noise);
    const double off = place - i.state[0];
    // A gust or a bump is no answer to a pulse.
    const double spread = std::max(i.covariance(0, 0) + noise, off * off / farOffSquare);
    const Eigen::Vector3d by = i.covariance.col(0) / spread;
    i.state += by * off;
    i.covariance -= by * i.covariance.row(0).eval();
    i.logWeight = oddsMemory * i.logWeight - 0.5 * (std::log(spread) + off * off / spread);
}

void ResponseMeter::see(double frame_s, double place, double sigma, double foretold, double rateWalk) {
    foretold_arcsec_ = foretold;
    rateWalk_arcsec2_s3_ = std::max(rateWalk, leastRateWalk_arcsec2_s3);
    const double noise = std::max(sigma * sigma, 1e-4);
    if (!seen_s_) {
        asCalibrated_.state = {place, 0.0, 1.0};
        asCalibrated_.covariance = Eigen::Vector3d(noise, rateSigma * rateSigma, 0.0).asDiagonal();
        for (Idea& i : ideas_) {
            i.state = asCalibrated_.state;
            i.covariance = asCalibrated_.covariance;
            i.covariance(2, 2) = gainPrior * gainPrior;
        }
        seen_s_ = frame_s;
        return;
    }
    const double dt = std::max(frame_s - *seen_s_, 1e-3);
    seen_s_ = frame_s;
    for (Idea& i : ideas_)
        update(i, dt, place, noise);
    update(asCalibrated_, dt, place, noise);
    judge();
}

void ResponseMeter::judge() {
    double most = ideas_.front().logWeight;
    for (const Idea& i : ideas_)
        most = std::max(most, i.logWeight);
    double sum = 0.0;
    for (const Idea& i : ideas_)
        sum += std::exp(i.logWeight - most);
    const double all = most + std::log(sum);
    const double odds = all - std::log(static_cast<double>(ideas_.size())) - asCalibrated_.logWeight;
    late_ = odds > (late_ ? refutedOdds : clearOdds);
    double gain = 0.0;
    double delay = 0.0;
    double gainSquare = 0.0;
    double delaySquare = 0.0;
    for (const Idea& i : ideas_) {
        const double w = std::exp(i.logWeight - all);
        gain += w * i.state[2];
        delay += w * i.delay_s;
        gainSquare += w * (i.covariance(2, 2) + i.state[2] * i.state[2]);
        delaySquare += w * i.delay_s * i.delay_s;
    }
    // Between two delays that are tried: evenly spread.
    const double step = 0.25 + 0.25 * delay;
    measured_.gain = {gain, std::sqrt(std::max(gainSquare - gain * gain, 0.0))};
    measured_.delay_s = {delay, std::sqrt(std::max(delaySquare - delay * delay, 0.0) + step * step / 12.0)};
    // A loop divides by it; an axis that does not answer or goes the other way is the guard's business.
    constexpr double sure = 4.0; // σ
    otherGain_ =
        measured_.gain.sigma < 0.1 && gain > 0.3 && std::abs(gain - 1.0) > sure * measured_.gain.sigma;
}

} // namespace nordstjerna
