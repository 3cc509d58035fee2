#include "core/guide/dec_probe.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
constexpr int mostPulses = 12; // one way
constexpr double probeStep_px = 3.0;
constexpr double certainLead = 14.0; // of a lead: one in a million
constexpr double oneWay = 4.0;       // enough to try the other way
constexpr int plays = 9, places = 5;
constexpr double largestBacklash = 2.0; // of a step
} // namespace

DecProbe::DecProbe(const Calibration& calibration, double noise_px) {
    const Angle a = Angle::fromDeg(calibration.dec.angle_deg.value);
    direction_[0] = cos(a);
    direction_[1] = sin(a);
    expected_px_ = std::clamp(10.0 * noise_px, probeStep_px, 12.0);
    step_ms_ = 1000.0 * expected_px_ / std::max(calibration.dec.rate_px_s.value, 1e-3);
    // Two places and a rate that is right to a tenth; the air may be worse than supposed.
    sigma_px_ = std::hypot(2.0 * noise_px, 0.1 * expected_px_);
    ideas_.push_back({0, {}, std::log(static_cast<double>(plays * places))});
    for (int sense : {1, -1})
        for (int p = 0; p < plays; ++p)
            for (int k = 0; k < places; ++k) {
                const double gap = expected_px_ * largestBacklash * p / (plays - 1);
                ideas_.push_back({sense, {gap, -gap * k / (places - 1)}, 0.0});
            }
}

double DecProbe::along(double x, double y) const {
    return x * direction_[0] + y * direction_[1];
}

void DecProbe::weigh(double moved) {
    for (Idea& idea : ideas_) {
        const double before = idea.backlash.load;
        idea.backlash.follow(idea.sense * motor_px_);
        const double off = (moved - (idea.backlash.load - before)) / sigma_px_;
        // A gust may carry the star anywhere once in a while.
        constexpr double gusts = 0.01;
        idea.logLikelihood += std::log((1.0 - gusts) * std::exp(-0.5 * off * off) + gusts * 0.1);
    }
}

DecProbe::Answer DecProbe::answer() const {
    std::array<double, 3> sum{};
    double best = -1e300;
    for (const Idea& idea : ideas_)
        best = std::max(best, idea.logLikelihood);
    for (const Idea& idea : ideas_)
        sum[static_cast<size_t>(idea.sense + 1)] += std::exp(idea.logLikelihood - best);
    const auto most = std::max_element(sum.begin(), sum.end());
    double others = 1e-300;
    for (const double& s : sum)
        if (&s != &*most)
            others = std::max(others, s);
    return {static_cast<int>(most - sum.begin()) - 1, std::log(*most / others)};
}

std::optional<double> DecProbe::next(double x, double y) {
    const double now = along(x, y);
    if (last_ && !over_) {
        moved_px_[south_] += now - *last_;
        weigh(now - *last_);
        const Answer a = answer();
        // Both ways are tried in any case: what moves the star by itself would look like an answer to one.
        if (!south_ && ((a.sense != 0 && a.lead > oneWay) || inLeg_ >= mostPulses)) {
            south_ = true;
            inLeg_ = 0;
        } else if (south_ && (a.lead > certainLead || inLeg_ >= mostPulses)) {
            over_ = true;
        }
    }
    last_ = now;
    if (over_)
        return std::nullopt;
    ++pulses_;
    ++inLeg_;
    motor_px_ += south_ ? -expected_px_ : expected_px_;
    return south_ ? -step_ms_ : step_ms_;
}

Expected<bool> DecProbe::reversed() const {
    const Answer a = answer();
    // Of both ways: one alone may be the wind.
    const bool bothWays =
        a.sense * moved_px_[0] > 0.3 * expected_px_ && a.sense * moved_px_[1] < -0.3 * expected_px_;
    if (over_ && a.lead > certainLead && bothWays)
        return a.sense < 0;
    const double given_s = pulses_ * step_ms_ / 1000.0;
    const bool alike = moved_px_[0] * moved_px_[1] > 0.0 &&
                       std::min(std::abs(moved_px_[0]), std::abs(moved_px_[1])) > 0.5 * expected_px_;
    if (alike)
        return problem(
            Text::say("Dec answers north and south pulses alike."),
            Text::say("The star went the same way after both, so that it is moved by something else."),
            Text::say("Check wind, cable and clutch, then try again."));
    return problem(
        Text::say("Dec does not follow its pulses on this side of the pier."),
        Text::say("%1 s of pulses did not carry the star along.").arg(formatNumber(given_s, 0)),
        Text::say(
            "Check the Dec clutch and the cable; with very large backlash measure the rates on this side."));
}

} // namespace nordstjerna
