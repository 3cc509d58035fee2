#include "core/procedure/guiding.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/format.h"
#include "core/procedure/run_meta.h"

namespace nordstjerna {

Guiding::Guiding(GuidingSetup setup)
    : setup_(std::move(setup)), ra_(setup_.controller.ra), dec_(setup_.controller.dec) {
    run_.meta = runMetaFor(setup_.rig, setup_.corrections ? RunKind::guided : RunKind::free);
    if (setup_.corrections)
        run_.meta.controller = setup_.controller;
    settled_ = !setup_.corrections;
}

void Guiding::setController(const ControllerSettings& settings) {
    setup_.controller = settings;
    ra_.setSettings(settings.ra);
    dec_.setSettings(settings.dec);
}

Step Guiding::next(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    switch (phase_) {
    case Phase::start: {
        geometry_.emplace(setup_.rates, event.mount.pointing.dec);
        setRunPlace(run_.meta, setup_.rig, event, *geometry_);
        phase_ = Phase::finding;
        return ExposeStep{setup_.exposure_s, CameraRole::guide};
    }
    case Phase::finding:
        return choose(event);
    case Phase::looking: {
        const auto* tracked = std::get_if<StarsTracked>(&event.what);
        return tracked ? measured(*tracked, event) : Step(watch_.look(setup_.exposure_s));
    }
    case Phase::searching:
        watch_.reacquire(*std::get<FrameTaken>(event.what).frame);
        phase_ = Phase::looking;
        return watch_.look(setup_.exposure_s);
    case Phase::renewing:
        // The field wandered so far that its stars leave the frame: others take over, counted on from here.
        if (const auto stars = guideStarsOn(*std::get<FrameTaken>(event.what).frame, choiceOptions()))
            watch_.renew(*std::get<FrameTaken>(event.what).frame, *stars);
        phase_ = Phase::looking;
        return watch_.look(setup_.exposure_s);
    case Phase::correcting:
        phase_ = Phase::looking;
        return watch_.look(setup_.exposure_s);
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

Step Guiding::choose(const Event& event) {
    frame_ = std::get<FrameTaken>(event.what).frame;
    const auto stars = setup_.wantedStars.empty() ? guideStarsOn(*frame_, choiceOptions())
                                                  : starsAt(*frame_, setup_.wantedStars);
    if (!stars) {
        phase_ = Phase::ended;
        return FailStep{stars.error()};
    }
    watch_ = StarWatch(*stars);
    run_.meta.start = frame_->info.middle().value_or(event.now);
    phase_ = Phase::looking;
    return watch_.look(setup_.exposure_s);
}

ChoiceOptions Guiding::choiceOptions() const {
    ChoiceOptions options;
    options.most = setup_.mostStars;
    if (!setup_.corrections)
        options.edge_px = 120.0; // left alone, the field wanders
    return options;
}

Step Guiding::lookOrSearch() {
    // A jump of the whole field (a bump, a slip) leaves the windows: look at everything now and then.
    if (watch_.wantsFullFrame()) {
        phase_ = Phase::searching;
        return ExposeStep{setup_.exposure_s, CameraRole::guide};
    }
    phase_ = Phase::looking;
    return watch_.look(setup_.exposure_s);
}

void Guiding::updateSettling(const SkyError& error, double t_s) {
    if (settled_)
        return;
    if (std::hypot(error.dra_arcsec, error.ddec_arcsec) > setup_.settleWithin_arcsec)
        smallSince_s_.reset();
    else if (!smallSince_s_)
        smallSince_s_ = t_s;
    settled_ = (smallSince_s_ && t_s - *smallSince_s_ >= setup_.settleFor_s) || t_s > setup_.settleTimeout_s;
}

PulsePair Guiding::decide(const SkyError& error) {
    SkyError correct{ra_.correction(error.dra_arcsec), dec_.correction(error.ddec_arcsec)};
    PulsePair pulse = geometry_->pulseAgainst(correct);
    const auto limited = [](double ms, double limit) { return std::clamp(ms, -limit, limit); };
    pulse.ra_ms = limited(pulse.ra_ms, setup_.controller.ra.pulseLimit_ms);
    pulse.dec_ms = limited(pulse.dec_ms, setup_.controller.dec.pulseLimit_ms);
    switch (setup_.controller.decMode) {
    case DecMode::both:
        break;
    case DecMode::northOnly:
        pulse.dec_ms = std::max(0.0, pulse.dec_ms);
        break;
    case DecMode::southOnly:
        pulse.dec_ms = std::min(0.0, pulse.dec_ms);
        break;
    case DecMode::off:
        pulse.dec_ms = 0.0;
        break;
    }
    // Shorter than any mount resolves.
    constexpr double shortest_ms = 5.0;
    if (std::abs(pulse.ra_ms) < shortest_ms)
        pulse.ra_ms = 0.0;
    if (std::abs(pulse.dec_ms) < shortest_ms)
        pulse.dec_ms = 0.0;
    return pulse;
}

Step Guiding::measured(const StarsTracked& tracked, const Event& event) {
    if (!event.mount.tracking && !event.mount.moving && !run_.rows.empty()) {
        // At a limit most mounts simply stop; from there on the star's run is the sky's.
        ending_ =
            Problem{"The mount stopped tracking.",
                    "It stands at its limit, or was told to stop, after " +
                        formatDuration(run_.rows.back().t_s) + ".",
                    "What was recorded until then is kept. Slew away from the limit or flip, then go on."};
        phase_ = Phase::ended;
        return DoneStep{};
    }
    RunRow row;
    row.t_s = tracked.middle - run_.meta.start;
    const bool wasLost = watch_.lostFrames() > 0;
    const auto shift = watch_.update(tracked);
    const bool over = setup_.length_s > 0.0 && row.t_s >= setup_.length_s;
    if (!shift) {
        // No corrections on garbage; keep looking.
        row.dra_arcsec = row.ddec_arcsec = std::numeric_limits<double>::quiet_NaN();
        row.event = wasLost ? "lost still" : "lost";
        run_.rows.push_back(row);
        if (!over)
            return lookOrSearch();
        phase_ = Phase::ended;
        return DoneStep{};
    }
    const SkyError error = geometry_->toSky(shift->dx, shift->dy);
    row = rowFrom(*shift, error, row.t_s, tracked.middle, run_.meta, setup_.rig, event);
    if (wasLost) {
        row.event = "found";
        ra_.reset();
        dec_.reset();
    }
    const bool before = settled_;
    updateSettling(error, row.t_s);
    if (!settled_)
        row.event += row.event.empty() ? "settling" : ", settling";
    else if (!before)
        row.event += row.event.empty() ? "steady" : ", steady";
    PulsePair pulse;
    if (setup_.corrections)
        pulse = decide(error);
    row.pulseRa_ms = pulse.ra_ms;
    row.pulseDec_ms = pulse.dec_ms;
    run_.rows.push_back(row);
    if (over) {
        phase_ = Phase::ended;
        return DoneStep{};
    }
    if (!setup_.corrections && watch_.leaving(frame_->width, frame_->height)) {
        phase_ = Phase::renewing;
        return ExposeStep{setup_.exposure_s, CameraRole::guide};
    }
    if (pulse.ra_ms != 0.0 || pulse.dec_ms != 0.0) {
        phase_ = Phase::correcting;
        return PulseStep{pulse.ra_ms, pulse.dec_ms};
    }
    return watch_.look(setup_.exposure_s);
}

Progress Guiding::progress() const {
    Progress p;
    const bool running = phase_ == Phase::looking || phase_ == Phase::correcting;
    using State = ProgressStep::State;
    p.steps.push_back({"Choose stars", running || phase_ == Phase::ended ? State::done
                                       : phase_ == Phase::finding        ? State::running
                                                                         : State::ahead});
    if (setup_.corrections)
        p.steps.push_back({"Settle", settled_ ? State::done : running ? State::running : State::ahead});
    p.steps.push_back(
        {setup_.corrections ? "Guide" : "Record", running && settled_ ? State::running : State::ahead});
    p.fraction = -1.0;
    if (setup_.length_s > 0.0 && !run_.rows.empty()) {
        p.fraction = std::clamp(run_.rows.back().t_s / setup_.length_s, 0.0, 1.0);
        p.timeLeft_s = std::max(0.0, setup_.length_s - run_.rows.back().t_s);
    }
    if (lost())
        p.waitingFor = "the guide star, lost for " + formatCount(watch_.lostFrames(), "frame");
    else if (running && !settled_)
        p.waitingFor = "the error to stay below " + formatNumber(setup_.settleWithin_arcsec, 1) + "″ for " +
                       formatNumber(setup_.settleFor_s, 0) + " s";
    return p;
}

} // namespace nordstjerna
