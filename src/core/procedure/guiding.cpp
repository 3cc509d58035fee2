#include "core/procedure/guiding.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "core/base/format.h"
#include "core/calibration/reuse.h"
#include "core/guide/controllers.h"
#include "core/procedure/run_meta.h"
#include "core/sky/air_mass.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

Guiding::Guiding(GuidingSetup setup) : setup_(std::move(setup)) {
    run_.meta = runMetaFor(setup_.rig, setup_.corrections ? RunKind::guided : RunKind::free);
    if (setup_.corrections)
        run_.meta.controller = setup_.controller;
}

void Guiding::setController(const ControllerSettings& settings) {
    for (SettingKey key : settingsThatDiffer(settings, setup_.controller))
        noteChange(key, settingValue(settings, key));
    setup_.controller = settings;
    if (run_.rows.empty() && run_.meta.controller)
        run_.meta.controller = settings;
    if (loop_)
        loop_->setController(settings);
}

void Guiding::setExposure(double exposure_s) {
    if (exposure_s != setup_.exposure_s) {
        noteChange(SettingKey::exposure, exposure_s);
        light_.begin(); // other light, other noise
    }
    setup_.exposure_s = exposure_s;
    if (run_.rows.empty() && run_.meta.loop)
        run_.meta.loop->exposure_s = exposure_s;
}

// Goes into the event of the next row, so that the run can be replayed; before the first one the header
// tells it.
void Guiding::noteChange(SettingKey key, double value) {
    if (setup_.corrections && !run_.rows.empty())
        changes_.push_back(ChangedSetting{key, value});
}

void Guiding::closeLoop(const Event& event) {
    LoopPriors priors = setup_.priors;
    if (priors.ra.wormPeriod_s <= 0.0)
        priors.ra.wormPeriod_s = setup_.rig.mount.wormPeriod_s;
    // An encoder on the axis sees to it that what was sent is done.
    priors.dec.mayHaveBacklash = !setup_.rig.mount.encoderDec;
    if (priors.ra.worm)
        for (Measured& c : priors.ra.worm->coefficient) {
            c.value *= cos(event.mount.pointing.dec);
            c.sigma *= cos(event.mount.pointing.dec);
        }
    loop_.emplace(GuideGeometry(setup_.calibration, event.mount.pointing.dec),
                  LoopSettings{setup_.controller, setup_.settle}, priors);
    const GuideGeometry& geometry = loop_->geometry();
    run_.meta.controller = setup_.corrections ? std::optional(setup_.controller) : std::nullopt;
    run_.meta.loop = LoopRecord{setup_.exposure_s,           geometry.response(), geometry.raRate_arcsec_s(),
                                geometry.decRate_arcsec_s(), setup_.settle,       priors};
    setRunPlace(run_.meta, setup_.rig, event, loop_->geometry());
}

// A correction that comes late is worse than none: the next frame tells what is needed then.
bool Guiding::repeatable(const Step& step) const {
    return !std::holds_alternative<PulseStep>(step);
}

void Guiding::stumbled(const Event& event, const Problem& problem) {
    if (run_.rows.empty())
        return;
    RunRow row;
    row.t_s = std::max(since(event.now), run_.rows.back().t_s + 1e-3);
    row.dra_arcsec = row.ddec_arcsec = std::numeric_limits<double>::quiet_NaN();
    row.events.add(NoFrame{problem.what.english()});
    keep(row);
}

std::optional<Step> Guiding::pulseFailed(const Event& event) {
    const auto* failed = std::get_if<StepFailed>(&event.what);
    if (phase_ != Phase::correcting || !failed || !failed->problem.transient || run_.rows.empty())
        return std::nullopt;
    constexpr int mostFailures = 30;
    if (++failedPulses_ >= mostFailures)
        return std::nullopt;
    RunRow& row = run_.rows.back();
    row.pulseRa_ms = row.pulseDec_ms = 0.0;
    sent_ = {};
    row.events.add(Happening::pulseFailed);
    phase_ = Phase::looking;
    return watch_.look(setup_.exposure_s);
}

void Guiding::keep(const RunRow& row) {
    run_.rows.push_back(row);
    if (!setup_.corrections)
        return;
    beliefs_.push_back({glimpseOf(loop_->belief(Axis::ra)), glimpseOf(loop_->belief(Axis::dec))});
}

// A clock that is set while a run is recorded would put its rows out of order.
void Guiding::heedClock(const Event& event) {
    const double behind_s = event.now.unix_s - event.steady_s;
    constexpr double aStep_s = 0.2; // clocks that are slewed do not jump
    if (behind_s_ && std::abs(behind_s - *behind_s_) > aStep_s) {
        const double step_s = behind_s - *behind_s_;
        if (began_s_) {
            clockSteps_s_ += step_s;
            lastStep_s_ = step_s;
            changes_.push_back(ClockSet{step_s});
        }
    }
    behind_s_ = behind_s;
}

double Guiding::takenAt(Instant middle, const Event& event) {
    const double step_s = std::exchange(lastStep_s_, 0.0);
    const double t_s = since(middle);
    // A frame comes soon after it was taken, and never before.
    constexpr double soon_s = 5.0, slack_s = 0.05;
    const double ago_s = event.steady_s - *began_s_ - t_s;
    const bool fits = ago_s > -slack_s && ago_s < setup_.exposure_s + soon_s;
    return step_s == 0.0 || fits ? t_s : t_s + step_s;
}

Step Guiding::advance(const Event& event) {
    heedClock(event);
    if (auto step = pulseFailed(event))
        return *step;
    if (phase_ == Phase::correcting && std::holds_alternative<StepFinished>(event.what))
        failedPulses_ = 0;
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    switch (phase_) {
    case Phase::start: {
        closeLoop(event);
        phase_ = Phase::finding;
        return ExposeStep{setup_.exposure_s, CameraRole::guide};
    }
    case Phase::finding:
        frame_ = std::get<FrameTaken>(event.what).frame;
        return setup_.lookFirst ? orient(event) : choose(event);
    case Phase::orienting:
        return oriented(std::get<FrameSolved>(event.what), event);
    case Phase::proving:
        if (const auto* tracked = std::get_if<StarsTracked>(&event.what))
            return prove(*tracked, event);
        return watch_.look(setup_.exposure_s);
    case Phase::probing:
        phase_ = Phase::proving;
        return WaitStep{0.5, Text::say("the axis to settle")};
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
        renew(*std::get<FrameTaken>(event.what).frame);
        phase_ = Phase::looking;
        return watch_.look(setup_.exposure_s);
    case Phase::correcting:
        return lost() ? lookOrSearch() : lookOn();
    case Phase::pausing:
        return watch();
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

// Yesterday's rates are only as good as the camera stayed where it was.
Step Guiding::orient(const Event& event) {
    phase_ = Phase::orienting;
    SolveStep solve;
    solve.frame = frame_;
    solve.scale_arcsec_px = setup_.calibration.setup.scale_arcsec_px;
    solve.near = ObservedFrame(setup_.rig.site, event.now).icrsFrom(event.mount.pointing);
    solve.timeLimit_s = 3.0;
    return solve;
}

Step Guiding::oriented(const FrameSolved& solved, const Event& event) {
    calibrationLook_ = CalibrationLook{};
    if (solved.solution)
        calibrationLook_ = lookAtCalibration(setup_.calibration, *solved.solution);
    else
        calibrationLook_->why = Text::say("the guide frame was not solved");
    if (calibrationLook_->hold == CalibrationHold::notAny) {
        phase_ = Phase::ended;
        return FailStep{{Text::say("The rates do not hold any more."),
                         Text::say("In the first guide frame %1.").arg(calibrationLook_->why),
                         Text::say("Measure them again at Rates.")}};
    }
    if (calibrationLook_->hold == CalibrationHold::turned) {
        setup_.calibration = calibrationTurned(setup_.calibration, calibrationLook_->turn_deg.value);
        closeLoop(event);
    }
    return choose(event);
}

Step Guiding::choose(const Event& event) {
    auto found = setup_.wantedStars.empty() ? guideFieldOn(*frame_, choiceOptions())
                                            : guideFieldAt(*frame_, setup_.wantedStars);
    if (!found) {
        phase_ = Phase::ended;
        return FailStep{found.error()};
    }
    unevenLight_ = nordstjerna::unevenLight(*frame_);
    auto shape = StarShape::learn(*frame_, found->field.stars);
    if (shape)
        for (Star& s : found->chosen)
            s = shape->refine(*frame_, s);
    watch_ = StarWatch(found->chosen, found->field.stars);
    if (shape)
        watch_.useShape(std::make_shared<const StarShape>(std::move(*shape)));
    run_.meta.start = frame_->info.middle().value_or(event.now);
    began_s_ = run_.meta.start.unix_s - *behind_s_;
    if (setup_.corrections && setup_.calibration.decUnproven) {
        phase_ = Phase::proving;
        constexpr double air_arcsec = 0.6; // how far a star is carried from frame to frame, generously
        probe_.emplace(setup_.calibration, air_arcsec / setup_.calibration.setup.scale_arcsec_px);
        return watch_.look(setup_.exposure_s);
    }
    return watch();
}

Step Guiding::watch() {
    phase_ = Phase::looking;
    return watch_.look(setup_.exposure_s);
}

Step Guiding::prove(const StarsTracked& tracked, const Event& event) {
    const auto shift = watch_.update(tracked);
    if (!shift) {
        constexpr int mostLost = 10;
        if (watch_.lostFrames() < mostLost)
            return watch_.look(setup_.exposure_s);
        phase_ = Phase::ended;
        return FailStep{
            {Text::say("The guide star was lost while the Dec pulses were tried."),
             Text::say("It was not found in %1 in a row.").arg(Text::say("%n frame|%n frames", "", mostLost)),
             Text::say("Check for cloud, then start again.")}};
    }
    if (const auto pulse = probe_->next(shift->dx, shift->dy)) {
        phase_ = Phase::probing;
        return PulseStep{0.0, *pulse};
    }
    const auto reversed = probe_->reversed();
    if (!reversed) {
        phase_ = Phase::ended;
        return FailStep{reversed.error()};
    }
    decReversed_ = *reversed;
    if (*reversed)
        setup_.calibration.dec.angle_deg.value =
            Angle::fromDeg(setup_.calibration.dec.angle_deg.value + 180.0).wrapped().deg();
    setup_.calibration.decUnproven = false;
    closeLoop(event);
    return watch();
}

void Guiding::renew(const Frame& frame) {
    if (const auto found = guideFieldOn(frame, choiceOptions()))
        watch_.renew(frame, found->chosen, found->field.stars);
    light_.begin();
}

ChoiceOptions Guiding::choiceOptions() const {
    ChoiceOptions options;
    if (!setup_.corrections)
        // Left alone, the field wanders; a small sensor has no more room than it has.
        options.edge_px = std::min(120.0, 0.25 * std::min(frame_->width, frame_->height));
    return options;
}

void Guiding::noteEvents(RunRow& row) {
    for (const RunEvent& c : changes_)
        row.events.add(c);
    changes_.clear();
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

Step Guiding::measured(const StarsTracked& tracked, const Event& event) {
    if (!event.mount.tracking && !event.mount.moving && !run_.rows.empty()) {
        // At a limit most mounts simply stop; from there on the star's run is the sky's.
        ending_ = Problem{
            Text::say("The mount stopped tracking."),
            Text::say("It reached its limit, or was stopped, after %1.")
                .arg(formatDuration(run_.rows.back().t_s)),
            Text::say("What was recorded until then is kept. Slew away from the limit or flip, then go on.")};
        phase_ = Phase::ended;
        return DoneStep{};
    }
    const bool wasLost = watch_.lostFrames() > 0;
    const auto shift = watch_.update(tracked);
    const double t_s = takenAt(tracked.middle, event);
    RunRow row;
    if (shift) {
        const SkyError place = loop_->geometry().toSky(shift->dx, shift->dy);
        const SkyError error = place - loop_->aimAt(t_s);
        row = rowFrom(*shift, error, t_s, tracked.middle, run_.meta, setup_.rig, event);
        if (wasLost)
            row.events.add(Happening::found);
        const bool saturated = watch_.saturated();
        if (saturated && !saturated_)
            changes_.push_back(Happening::saturates);
        saturated_ = saturated;
        light_.add(t_s, tracked.stars,
                   airMass(altAzFrom(directionOf(setup_.rig.site, event.mount.pointing)).altitude));
    } else {
        row.t_s = t_s;
        row.dra_arcsec = row.ddec_arcsec = std::numeric_limits<double>::quiet_NaN();
        row.worm_turns = wormAt(tracked.middle, setup_.rig, event);
        row.events.add(wasLost ? Happening::lostStill : Happening::lost);
    }
    // A step of the clock that is too small to be told may put two rows at one time.
    if (!run_.rows.empty())
        row.t_s = std::max(row.t_s, run_.rows.back().t_s + 1e-3);
    noteEvents(row);
    row = asRecorded(row);
    const PulsePair pulse = setup_.corrections ? corrected(row) : PulsePair{};
    sent_ = pulse;
    row.pulseRa_ms = pulse.ra_ms;
    row.pulseDec_ms = pulse.dec_ms;
    keep(row);
    if (setup_.length_s > 0.0 && row.t_s >= setup_.length_s) {
        phase_ = Phase::ended;
        return DoneStep{};
    }
    if (shift && !setup_.corrections && watch_.leaving(frame_->width, frame_->height)) {
        phase_ = Phase::renewing;
        return ExposeStep{setup_.exposure_s, CameraRole::guide};
    }
    if (pulse.ra_ms != 0.0 || pulse.dec_ms != 0.0) {
        phase_ = Phase::correcting;
        return PulseStep{pulse.ra_ms, pulse.dec_ms};
    }
    return lost() ? lookOrSearch() : lookOn();
}

// The loop's answer to a row, and what is to be told of it in the row's event.
PulsePair Guiding::corrected(RunRow& row) {
    const LoopState before = loop_->state();
    const LoopOutput out = loop_->step(loopInput(row, sent_, setup_.exposure_s));
    if (!row.measured())
        return out.pulse;
    if (out.runaway)
        runaway_ = runawayProblem(*out.runaway);
    const auto surprise = std::max(loop_->belief(Axis::ra).surprise, loop_->belief(Axis::dec).surprise);
    if (surprise != Surprise::none && out.state == LoopState::steady && row.events.empty())
        row.events.add(surprise == Surprise::gust ? Happening::gust : Happening::bump);
    if (out.state != before || out.state == LoopState::settling || out.state == LoopState::dithering)
        row.events.add(out.state);
    if (!settles_.empty() && !settles_.back().over) {
        SettleRecord& s = settles_.back();
        s.seconds = row.t_s - s.from_s;
        s.off_arcsec = loop_->offThatCounts_arcsec({row.dra_arcsec, row.ddec_arcsec});
        s.within_arcsec = loop_->settleLimit_arcsec();
        s.over = out.state == LoopState::steady || out.state == LoopState::unsettled ||
                 out.state == LoopState::runningAway;
        s.settled = out.state == LoopState::steady;
    }
    return out.pulse;
}

void Guiding::moveAim(SkyError by, const SettleRule& settle) {
    if (!loop_ || !setup_.corrections || run_.rows.empty())
        return;
    // As the row's event holds it.
    by.dra_arcsec = std::round(1000.0 * by.dra_arcsec) / 1000.0;
    by.ddec_arcsec = std::round(1000.0 * by.ddec_arcsec) / 1000.0;
    loop_->moveAim(by, settle);
    setup_.settle = settle;
    changes_.push_back(AimMove{by});
    settles_.push_back({run_.rows.back().t_s, by});
}

void Guiding::setAimRate(SkyError arcsec_min) {
    if (!loop_ || !setup_.corrections || run_.rows.empty())
        return;
    // As the row's event holds it.
    arcsec_min.dra_arcsec = std::round(1e4 * arcsec_min.dra_arcsec) / 1e4;
    arcsec_min.ddec_arcsec = std::round(1e4 * arcsec_min.ddec_arcsec) / 1e4;
    const AimRate rate{arcsec_min};
    loop_->setAimRate(rate.arcsec_s());
    changes_.push_back(rate);
}

// Controllers that may pause, on both axes, give the mount time between two looks once it is steady;
// acquiring goes without.
Step Guiding::lookOn() {
    const auto& c = setup_.controller;
    const bool mayPause = controllerOf(c.ra.kind).mayPause && controllerOf(c.dec.kind).mayPause;
    if (!setup_.corrections || !mayPause || loopState() != LoopState::steady)
        return watch();
    phase_ = Phase::pausing;
    return WaitStep{setup_.exposure_s, Text::say("a pause as long as the exposure")};
}

Progress Guiding::progress() const {
    Progress p;
    const bool running = phase_ == Phase::looking || phase_ == Phase::correcting || phase_ == Phase::pausing;
    const bool proving = phase_ == Phase::proving || phase_ == Phase::probing;
    using State = ProgressStep::State;
    p.steps.push_back({Text::say("Choose stars"), running || proving || phase_ == Phase::ended ? State::done
                                                  : phase_ == Phase::finding ? State::running
                                                                             : State::ahead});
    if (probe_)
        p.steps.push_back({Text::say("Try Dec"), proving        ? State::running
                                                 : decReversed_ ? State::done
                                                                : State::ahead});
    const bool calm = settled();
    if (setup_.corrections)
        p.steps.push_back({Text::say("Settle"), calm      ? State::done
                                                : running ? State::running
                                                          : State::ahead});
    p.steps.push_back(
        {setup_.corrections ? Text::say("Guide") : Text::say("Record"),
         running && (calm || loopState() == LoopState::unsettled) ? State::running : State::ahead});
    p.fraction = -1.0;
    if (setup_.length_s > 0.0 && !run_.rows.empty()) {
        p.fraction = std::clamp(run_.rows.back().t_s / setup_.length_s, 0.0, 1.0);
        p.timeLeft_s = std::max(0.0, setup_.length_s - run_.rows.back().t_s);
    }
    if (lost())
        p.waitingFor = Text::say("the guide star, lost for %1")
                           .arg(Text::say("%n frame|%n frames", "", watch_.lostFrames()));
    else if (proving)
        p.waitingFor = Text::say("the star to show which way Dec pulses work on this side, pulse %1")
                           .arg(probe_->pulses());
    else if (running && (loopState() == LoopState::settling || loopState() == LoopState::dithering))
        p.waitingFor = Text::say("the error to stay below %1″ for %2 s")
                           .arg(formatNumber(settleRule().within_arcsec, 1))
                           .arg(formatNumber(setup_.settle.for_s, 0));
    return p;
}

} // namespace nordstjerna
