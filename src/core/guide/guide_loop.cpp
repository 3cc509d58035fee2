#include "core/guide/guide_loop.h"

#include <algorithm>
#include <cmath>

#include "core/guide/controllers.h"

namespace nordstjerna {

namespace {
constexpr double shortest_ms = 5.0; // less than any mount resolves
constexpr double fastMemory = 0.9;
} // namespace

GuideLoop::AxisLoop::AxisLoop(const AxisSettings& settings, const AxisPrior& prior)
    : kind(settings.kind), model(settings, prior), mayHaveBacklash(prior.mayHaveBacklash),
      pause_s(settings.pause_s) {
    for (const ControllerDescriptor& c : controllers())
        all.emplace_back(c.kind, c.make(settings, model));
}

double GuideLoop::AxisLoop::correction(const AxisInput& axisIn) {
    if (looksOn || kind == ControllerKind::model)
        model.correction(axisIn, kind == ControllerKind::model);
    double wish = 0.0;
    for (const auto& [of, controller] : all) {
        const double answer = controller->correction(axisIn, of == kind);
        if (of == kind)
            wish = answer;
    }
    return wish;
}

void GuideLoop::AxisLoop::set(const AxisSettings& settings) {
    kind = settings.kind;
    pause_s = settings.pause_s;
    model.setSettings(settings);
    for (const auto& [of, controller] : all)
        controller->setSettings(settings);
}

GuideLoop::GuideLoop(const GuideGeometry& geometry, const LoopSettings& settings, const LoopPriors& priors)
    : geometry_(geometry), settings_(settings), ra_(settings.controller.ra, priors.ra),
      dec_(settings.controller.dec, priors.dec) {}

void GuideLoop::setController(const ControllerSettings& settings) {
    ra_.set(settings.ra);
    dec_.set(settings.dec);
    settings_.controller = settings;
}

void GuideLoop::moveAim(const SkyError& by, const SettleRule& settle) {
    aim_.moveBy(by);
    remainingAimMove_ = remainingAimMove_ + by;
    settings_.settle = settle;
    state_ = LoopState::dithering;
    settlingSince_s_.reset();
    smallSince_s_.reset();
    // Neither the guard nor the noise may take the new aim for a motion of the star.
    guard_.forget();
    lastError_.reset();
}

// The way to a new aim that this pulse goes.
void GuideLoop::payOff(const PulsePair& pulse) {
    const SkyError gone = geometry_.motionOf(pulse);
    for (auto part : {&SkyError::dra_arcsec, &SkyError::ddec_arcsec}) {
        const double left = remainingAimMove_.*part;
        remainingAimMove_.*part -=
            left > 0.0 ? std::clamp(gone.*part, 0.0, left) : std::clamp(gone.*part, left, 0.0);
        constexpr double nothing_arcsec = 0.05;
        if (std::abs(remainingAimMove_.*part) < nothing_arcsec)
            remainingAimMove_.*part = 0.0;
    }
}

double GuideLoop::offThatCounts_arcsec(const SkyError& error) const {
    return std::hypot(error.dra_arcsec, settings_.controller.correctsDec() ? error.ddec_arcsec : 0.0);
}

double GuideLoop::settleLimit_arcsec() const {
    if (settings_.settle.within_arcsec > 0.0)
        return settings_.settle.within_arcsec;
    // A settled star stays within so many RMS for ten frames 98 times in 100 (Rayleigh).
    constexpr double times = 2.5;
    // Until it has been settled: what changes from frame to frame, which knows nothing of slow air.
    constexpr double slowAir = 1.3;
    const double guessed = std::sqrt(2.0) * std::max(slowAir * std::sqrt(fast_), noise_arcsec_);
    // A star that is thrown about by more than that is not held, whatever its scatter.
    constexpr double most_arcsec = 2.5;
    return std::min(times * std::max(guessed, std::sqrt(settledSquare_)), most_arcsec);
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
    const double off = offThatCounts_arcsec(error);
    if (off > settleLimit_arcsec())
        smallSince_s_.reset();
    else if (!smallSince_s_)
        smallSince_s_ = t_s;
    if (smallSince_s_ && t_s - *smallSince_s_ >= settings_.settle.for_s)
        state_ = LoopState::steady;
    else if (t_s - *settlingSince_s_ > settings_.settle.timeout_s)
        state_ = LoopState::unsettled;
    else if (state_ != LoopState::dithering)
        state_ = LoopState::settling;
}

Response GuideLoop::response(Axis axis) const {
    const AxisLoop& of = axis == Axis::ra ? ra_ : dec_;
    if (of.mayHaveBacklash)
        return {Response().gain, ra_.response.measured().delay_s};
    return of.response.measured();
}

SkyError GuideLoop::shown(const LoopInput& in) {
    const SkyError nominal = geometry_.motionOf(in.sent);
    ra_.response.sent(in.t_s, in.untilNext_s, nominal.dra_arcsec);
    dec_.response.sent(in.t_s, in.untilNext_s, nominal.ddec_arcsec);
    const auto of = [&](const AxisLoop& axis, double whole) {
        const double delay = delayOf(axis);
        return gainOf(axis) * (delay > 0.0 ? axis.response.shown_arcsec(delay) : whole);
    };
    return {of(ra_, nominal.dra_arcsec), of(dec_, nominal.ddec_arcsec)};
}

// Of pulses that come late a controller is told what is still on its way, and the look ahead reaches as much
// farther.
SkyError GuideLoop::wished(const LoopInput& in, double noise) {
    const SkyError moved = geometry_.motionOf(in.sent);
    // Another exposure is another pace at once.
    if (overhead_s_ > 0.0 && in.untilNext_s != exposure_s_)
        overhead_s_ = std::max(overhead_s_ + in.untilNext_s - exposure_s_, in.untilNext_s);
    exposure_s_ = in.untilNext_s;
    if (last_s_) {
        // A slow frame now and then is no new pace.
        const double pulse_s = 0.001 * std::max(std::abs(in.sent.ra_ms), std::abs(in.sent.dec_ms));
        const double own = in.t_s - *last_s_ - pulse_s;
        if (overhead_s_ == 0.0)
            overhead_s_ = own;
        else if (own < 2.0 * overhead_s_)
            overhead_s_ += 0.2 * (own - overhead_s_);
    }
    AxisInput axisIn;
    axisIn.t_s = in.t_s;
    axisIn.centroid_arcsec = in.noise_arcsec;
    const double next_s = overhead_s_ > 0.0 ? overhead_s_ : in.untilNext_s + 0.5;
    axisIn.worm_turns = in.worm_turns;
    const auto ask = [&](AxisLoop& axis, double SkyError::*part, double motion, double rate) {
        const double gain = gainOf(axis);
        const double delay = delayOf(axis);
        axisIn.place_arcsec.reset();
        axisIn.aim_arcsec = aim_.now().*part;
        axisIn.aimRate_arcsec_s = aim_.rate_arcsec_s().*part;
        axisIn.remainingAimMove_arcsec = remainingAimMove_.*part;
        if (in.error) {
            const double place = (*in.error).*part + aim_.now().*part;
            axisIn.place_arcsec = place;
            if (!axis.mayHaveBacklash) // of one that may, nothing would be used
                axis.response.see(in.t_s, place, noise,
                                  axis.model.wormMotion_arcsec(last_s_ ? in.t_s - *last_s_ : 0.0),
                                  axis.model.rateWalk_arcsec2_s3(next_s));
        }
        axisIn.moved_arcsec = gain * motion;
        axisIn.pending_arcsec = delay > 0.0 ? gain * axis.response.pending_arcsec(delay) : 0.0;
        // A correction holds for the whole pause: it is right in the middle of it.
        axisIn.next_s = next_s + delay + (axis.pausing(in.t_s, in.untilNext_s) ? 0.0 : 0.5 * axis.pause_s);
        axisIn.guideSpeed_arcsec_s = gain * std::abs(rate);
        return axis.correction(axisIn) / gain;
    };
    return {ask(ra_, &SkyError::dra_arcsec, moved.dra_arcsec, geometry_.raRate_arcsec_s()),
            ask(dec_, &SkyError::ddec_arcsec, moved.ddec_arcsec, geometry_.decRate_arcsec_s())};
}

PulsePair GuideLoop::heedPauses(PulsePair pulse, const LoopInput& in) {
    const auto heed = [&](AxisLoop& axis, double& ms, double owed) {
        if (owed == 0.0 && axis.pausing(in.t_s, in.untilNext_s))
            ms = 0.0;
        else if (ms != 0.0)
            axis.corrected_s = in.t_s;
    };
    heed(ra_, pulse.ra_ms, remainingAimMove_.dra_arcsec);
    heed(dec_, pulse.dec_ms, remainingAimMove_.ddec_arcsec);
    return pulse;
}

PulsePair GuideLoop::limited(PulsePair pulse, double longest_ms) const {
    const auto within = [&](double ms, double limit) {
        const double most = std::min(limit, longest_ms);
        return std::clamp(ms, -most, most);
    };
    pulse.ra_ms = within(pulse.ra_ms, settings_.controller.ra.pulseLimit_ms);
    pulse.dec_ms = within(pulse.dec_ms, settings_.controller.dec.pulseLimit_ms);
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
    // As a run table holds them.
    pulse.ra_ms = std::round(10.0 * pulse.ra_ms) / 10.0;
    pulse.dec_ms = std::round(10.0 * pulse.dec_ms) / 10.0;
    return pulse;
}

LoopOutput GuideLoop::withoutStar(const LoopInput& in) {
    constexpr double longest_s = 600.0; // behind a cloud; by then nobody knows where the star is
    if (state_ != LoopState::lost)
        lostSince_s_ = in.t_s;
    state_ = LoopState::lost;
    guard_.forget();
    lastError_.reset();
    LoopOutput out;
    out.state = state_;
    shown(in);
    const SkyError correct = wished(in, in.noise_arcsec);
    last_s_ = in.t_s;
    if (in.t_s - lostSince_s_ < longest_s)
        out.pulse = heedPauses(limited(geometry_.pulseAgainst(correct), 1000.0 * in.untilNext_s), in);
    return out;
}

LoopOutput GuideLoop::step(const LoopInput& in) {
    aim_.goTo(in.t_s);
    if (!in.error)
        return withoutStar(in);
    const SkyError error = *in.error;
    LoopOutput out;
    const SkyError commanded = shown(in);
    if (lastError_) {
        // What is left of the change from frame to frame when the pulses are taken out is air, mostly.
        // Whether they worked as told is what the guard asks, so the likeliest answer counts here.
        const auto least = [](double moved, double wanted) {
            return std::min({std::abs(moved), std::abs(moved - wanted), std::abs(moved + wanted)});
        };
        const double dx = least(error.dra_arcsec - lastError_->dra_arcsec, commanded.dra_arcsec);
        const double dy = least(error.ddec_arcsec - lastError_->ddec_arcsec, commanded.ddec_arcsec);
        const double square = std::min(0.25 * (dx * dx + dy * dy), 1.0);
        fast_ = fast_ > 0.0 ? fastMemory * fast_ + (1.0 - fastMemory) * square : square;
    }
    const double noise = std::max(in.noise_arcsec, std::min(1.3 * std::sqrt(fast_), 1.0));
    const double dt = lastError_ && last_s_ ? in.t_s - *last_s_ : 0.0;
    // The guard asks for itself how late pulses come: to a meter that knows no reversed axis one looks very
    // late.
    const SkyError whole = geometry_.motionOf(in.sent);
    const SkyError atOnce{gainOf(ra_) * whole.dra_arcsec, gainOf(dec_) * whole.ddec_arcsec};
    if (auto r = guard_.feed(error, atOnce, dt, noise)) {
        if (!stopped(r->axis)) {
            (r->axis == Axis::ra ? raStopped_ : decStopped_) = true;
            out.runaway = r;
        }
        guard_.forget();
    }
    lastError_ = error;
    noise_arcsec_ = in.noise_arcsec;
    if (state_ == LoopState::steady) {
        constexpr double memory = 0.98;
        const double square = error.dra_arcsec * error.dra_arcsec + error.ddec_arcsec * error.ddec_arcsec;
        settledSquare_ = settledSquare_ > 0.0 ? memory * settledSquare_ + (1.0 - memory) * square : square;
    }
    settle(error, in.t_s);
    const SkyError correct = wished(in, noise);
    last_s_ = in.t_s;
    PulsePair pulse = geometry_.pulseAgainst(correct);
    // What deadbands leave alone must not come back through axes that are not quite square.
    if (correct.dra_arcsec == 0.0)
        pulse.ra_ms = 0.0;
    if (correct.ddec_arcsec == 0.0)
        pulse.dec_ms = 0.0;
    out.state = state_;
    out.pulse = heedPauses(limited(pulse, 1000.0 * in.untilNext_s), in);
    payOff(out.pulse);
    return out;
}

} // namespace nordstjerna
