#include "core/procedure/response_run.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/format.h"
#include "core/procedure/star_to_pulse.h"

namespace nordstjerna {

namespace {
// Runs of different lengths, so that no delay up to some frames looks like another one; their sum is zero.
constexpr std::array pulsePattern{1, 1, -1, -1, -1, 1, 0, 1, -1, 0, -1, 1, 1, 1, -1, -1, 0, -1, 1, 0};
constexpr int mostClearing = 40; // Dec pulses until it follows
constexpr int framesLostMost = 6;
constexpr double answered = 0.25;    // a gain known to better than this was measured
constexpr double engagedShare = 0.4; // of a pulse's way in one frame
} // namespace

std::optional<Response> ResponseRun::ra() const {
    const Response& r = ra_.measured();
    return r.gain.sigma < answered ? std::optional(r) : std::nullopt;
}

std::optional<Response> ResponseRun::dec() const {
    const Response& r = dec_.measured();
    return engaged() && r.gain.sigma < answered ? std::optional(r) : std::nullopt;
}

Step ResponseRun::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    switch (phase_) {
    case Phase::start: {
        geometry_.emplace(setup_.calibration, event.mount.pointing.dec);
        pulses_ = pulsesThatMove(setup_.step_px * setup_.calibration.setup.scale_arcsec_px, *geometry_);
        phase_ = Phase::finding;
        return ExposeStep{std::max(2.0, setup_.exposure_s), CameraRole::guide};
    }
    case Phase::finding: {
        const auto frame = std::get<FrameTaken>(event.what).frame;
        auto stars = starsToPulse(*frame, setup_.step_px, 20);
        if (!stars)
            return FailStep{stars.error()};
        watch_ = std::move(*stars);
        begin_ = frame->info.middle().value_or(event.now);
        phase_ = Phase::looking;
        return look();
    }
    case Phase::looking:
        return measured(std::get<StarsTracked>(event.what), event);
    case Phase::pulsing:
        phase_ = Phase::looking;
        return look();
    }
    return DoneStep{};
}

// The next one, by what the star did so far.
PulsePair ResponseRun::pulse(const SkyError& place) {
    PulsePair p;
    p.ra_ms = pulses_.ra_ms * pulsePattern[static_cast<size_t>(seen_) % pulsePattern.size()];
    if (!setup_.rig.mount.decMotor)
        return p;
    if (engaged()) { // one way only, with pauses
        p.dec_ms =
            pulses_.dec_ms * std::max(0, pulsePattern[static_cast<size_t>(seen_ + 7) % pulsePattern.size()]);
        return p;
    }
    const double step_arcsec = 0.001 * pulses_.dec_ms * std::abs(geometry_->decRate_arcsec_s());
    const bool follows =
        last_ && std::abs(place.ddec_arcsec - last_->ddec_arcsec) > engagedShare * step_arcsec;
    followed_ = follows ? followed_ + 1 : 0;
    if (!engaged() && clearing_ < mostClearing) {
        ++clearing_;
        p.dec_ms = pulses_.dec_ms;
    }
    return p;
}

Step ResponseRun::measured(const StarsTracked& tracked, const Event&) {
    const auto shift = watch_.update(tracked);
    if (!shift) {
        if (watch_.lostFrames() > framesLostMost)
            return FailStep{{Text::say("The guide star was lost."),
                             Text::say("It was not found in seven frames in a row."),
                             Text::say("Check for cloud, choose a richer field, and test again.")}};
        return look();
    }
    const SkyError place = geometry_->toSky(shift->dx, shift->dy);
    const double t_s = tracked.middle - *begin_;
    constexpr double leastNoise_arcsec = 0.3; // the air's part, which the centroid does not know
    const double sigma =
        std::hypot(shift->centroid * setup_.calibration.setup.scale_arcsec_px, leastNoise_arcsec);
    ra_.sent(t_s, setup_.exposure_s, sent_.dra_arcsec);
    ra_.see(t_s, place.dra_arcsec, sigma);
    if (engaged()) {
        dec_.sent(t_s, setup_.exposure_s, sent_.ddec_arcsec);
        dec_.see(t_s, place.ddec_arcsec, sigma);
    }
    ++seen_;
    if (seen_ >= setup_.frames)
        return DoneStep{};
    const PulsePair next = pulse(place);
    last_ = place;
    sent_ = geometry_->motionOf(next);
    if (next.ra_ms == 0.0 && next.dec_ms == 0.0)
        return look();
    phase_ = Phase::pulsing;
    return PulseStep{next.ra_ms, next.dec_ms};
}

Progress ResponseRun::progress() const {
    using State = ProgressStep::State;
    Progress p;
    p.steps = {{Text::say("Pulses and frames"), phase_ == Phase::start ? State::ahead : State::running}};
    p.fraction = static_cast<double>(seen_) / setup_.frames;
    p.timeLeft_s = (setup_.frames - seen_) * (setup_.exposure_s + 0.8);
    p.waitingFor = Text::say("frame %1 of %2").arg(seen_ + 1).arg(setup_.frames);
    return p;
}

} // namespace nordstjerna
