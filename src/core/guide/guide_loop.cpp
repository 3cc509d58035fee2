#include "core/guide/guide_loop.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {
constexpr double shortest_ms = 5.0; // less than any mount resolves
constexpr double fastMemory = 0.9;
} // namespace

const char* loopStateWord(LoopState state) {
    switch (state) {
    case LoopState::acquiring:
        return "acquiring";
    case LoopState::settling:
        return "settling";
    case LoopState::steady:
        return "steady";
    case LoopState::unsettled:
        return "not settled";
    case LoopState::lost:
        return "lost";
    case LoopState::runningAway:
        break;
    }
    return "runs away";
}

GuideLoop::GuideLoop(const Rates& rates, Angle dec, const LoopSettings& settings)
    : geometry_(rates, dec), settings_(settings), ra_(settings.controller.ra), dec_(settings.controller.dec) {
}

void GuideLoop::setController(const ControllerSettings& settings) {
    settings_.controller = settings;
    ra_.setSettings(settings.ra);
    dec_.setSettings(settings.dec);
}

void GuideLoop::lost() {
    state_ = LoopState::lost;
    guard_.forget();
    lastError_.reset();
    last_s_.reset();
    ra_.reset();
    dec_.reset();
}

void GuideLoop::settle(const SkyError& error, double t_s) {
    if (raStopped_ || decStopped_) {
        state_ = LoopState::runningAway;
        return;
    }
    if (state_ == LoopState::steady)
        return;
    if (!settlingSince_s_ || state_ == LoopState::lost) {
        settlingSince_s_ = t_s;
        smallSince_s_.reset();
    }
    if (std::hypot(error.dra_arcsec, error.ddec_arcsec) > settings_.settle.within_arcsec)
        smallSince_s_.reset();
    else if (!smallSince_s_)
        smallSince_s_ = t_s;
    if (smallSince_s_ && t_s - *smallSince_s_ >= settings_.settle.for_s)
        state_ = LoopState::steady;
    else
        state_ =
            t_s - *settlingSince_s_ > settings_.settle.timeout_s ? LoopState::unsettled : LoopState::settling;
}

PulsePair GuideLoop::decide(const SkyError& error, double longest_ms) {
    SkyError correct{ra_.correction(error.dra_arcsec), dec_.correction(error.ddec_arcsec)};
    PulsePair pulse = geometry_.pulseAgainst(correct);
    // What deadbands leave alone must not come back through axes that are not quite square.
    if (correct.dra_arcsec == 0.0)
        pulse.ra_ms = 0.0;
    if (correct.ddec_arcsec == 0.0)
        pulse.dec_ms = 0.0;
    const auto limited = [&](double ms, double limit) {
        const double most = std::min(limit, longest_ms);
        return std::clamp(ms, -most, most);
    };
    pulse.ra_ms = limited(pulse.ra_ms, settings_.controller.ra.pulseLimit_ms);
    pulse.dec_ms = limited(pulse.dec_ms, settings_.controller.dec.pulseLimit_ms);
    switch (settings_.controller.decMode) {
    case DecMode::both:
        break;
    case DecMode::northOnly: // of the star's correction on the sky, whichever way the wiring runs
        if ((geometry_.decRate_arcsec_s() > 0.0) != (pulse.dec_ms > 0.0))
            pulse.dec_ms = 0.0;
        break;
    case DecMode::southOnly:
        if ((geometry_.decRate_arcsec_s() > 0.0) == (pulse.dec_ms > 0.0))
            pulse.dec_ms = 0.0;
        break;
    case DecMode::off:
        pulse.dec_ms = 0.0;
        break;
    }
    if (raStopped_ || std::abs(pulse.ra_ms) < shortest_ms)
        pulse.ra_ms = 0.0;
    if (decStopped_ || std::abs(pulse.dec_ms) < shortest_ms)
        pulse.dec_ms = 0.0;
    return pulse;
}

LoopOutput GuideLoop::step(const LoopInput& in) {
    LoopOutput out;
    const SkyError commanded = geometry_.motionOf(in.sent);
    if (lastError_) {
        // What is left of the change from frame to frame when the pulses are taken out is air, mostly.
        // Whether they worked as told is what the guard asks, so the likeliest answer counts here.
        const auto least = [](double moved, double wanted) {
            return std::min({std::abs(moved), std::abs(moved - wanted), std::abs(moved + wanted)});
        };
        const double dx = least(in.error.dra_arcsec - lastError_->dra_arcsec, commanded.dra_arcsec);
        const double dy = least(in.error.ddec_arcsec - lastError_->ddec_arcsec, commanded.ddec_arcsec);
        const double square = std::min(0.25 * (dx * dx + dy * dy), 1.0);
        fast_ = fast_ > 0.0 ? fastMemory * fast_ + (1.0 - fastMemory) * square : square;
    }
    const double noise = std::max(in.noise_arcsec, std::min(1.3 * std::sqrt(fast_), 1.0));
    const double dt = last_s_ ? in.t_s - *last_s_ : 0.0;
    if (auto r = guard_.feed(in.error, commanded, dt, noise)) {
        if (!stopped(r->axis)) {
            (r->axis == Axis::ra ? raStopped_ : decStopped_) = true;
            out.runaway = r;
        }
        guard_.forget();
    }
    lastError_ = in.error;
    last_s_ = in.t_s;
    settle(in.error, in.t_s);
    out.state = state_;
    out.pulse = decide(in.error, 1000.0 * in.untilNext_s);
    return out;
}

} // namespace nordstjerna
