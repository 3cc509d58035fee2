#include "edge/runner.h"

namespace nordstjerna {

Problem haltedProblem() {
    return {Text::say("Halted."), Text::say("All motion was stopped on request."), "", false, true};
}

Problem stoppedProblem() {
    return {Text::say("Stopped."), Text::say("It was stopped on request; the mount still tracks."), "", false,
            true};
}

namespace {

class Executor {
public:
    Executor(Devices& devices, RunnerControl& control) : devices_(devices), control_(control) {}

    using Outcome = decltype(Event::what);

    Outcome operator()(const ExposeStep& s) const {
        Camera* camera = cameraFor(s.camera);
        if (!camera)
            return noCamera();
        if (s.raw && s.camera == CameraRole::guide && devices_.rawGuideCamera)
            camera = devices_.rawGuideCamera;
        auto frame = camera->expose(s.exposure_s, control_.halt);
        return frame ? Outcome(FrameTaken{*frame}) : Outcome(StepFailed{frame.error()});
    }
    Outcome operator()(const TrackStep& s) const {
        auto tracked = devices_.track(s, control_.halt);
        return tracked ? Outcome(*tracked) : Outcome(StepFailed{tracked.error()});
    }
    Outcome operator()(const SolveStep& s) const { return FrameSolved{devices_.solve(s, control_.halt)}; }
    Outcome operator()(const SlewStep& s) const {
        return finished(devices_.mount->slewOn(s.target, s.side, control_.halt));
    }
    Outcome operator()(const TrackingStep& s) const { return finished(devices_.mount->setTracking(s.on)); }
    Outcome operator()(const ParkStep& s) const {
        return finished(devices_.mount->park(s.on, control_.halt));
    }
    Outcome operator()(const PulseStep& s) const {
        return finished(devices_.mount->pulse(s.ra_ms, s.dec_ms, control_.halt));
    }
    Outcome operator()(const SyncStep& s) const { return finished(devices_.mount->sync(s.truth)); }
    Outcome operator()(const CurveStep& s) const {
        return finished(devices_.mount->setCurve(s.error_arcsec));
    }
    Outcome operator()(const TrailStep& s) const {
        Camera* camera = cameraFor(s.camera);
        if (!camera)
            return noCamera();
        if (auto begun = camera->begin(s.hold_s + 2.0 * s.half_s); !begun)
            return StepFailed{begun.error()};
        const struct {
            double seconds, rate;
        } legs[] = {{s.hold_s, 0.0}, {s.half_s, s.rate_sidereal}, {s.half_s, -s.rate_sidereal}};
        // Whatever happens, the mount must not be left running; by the time it is asked it may not answer,
        // and the observatory sees to it then.
        struct Rest {
            Mount& mount;
            bool done = false;
            Expected<void> now() {
                done = true;
                return mount.runRa(0.0);
            }
            ~Rest() {
                if (!done)
                    static_cast<void>(mount.runRa(0.0));
            }
        } rest{*devices_.mount};
        Expected<void> run;
        for (const auto& leg : legs) {
            run = devices_.mount->runRa(leg.rate);
            if (!run || !devices_.clock->sleep(leg.seconds, control_.halt))
                break;
        }
        const auto stopped = rest.now();
        auto frame = camera->finish(control_.halt);
        if (!run)
            return StepFailed{run.error()};
        if (!stopped)
            return StepFailed{stopped.error()};
        return frame ? Outcome(FrameTaken{*frame}) : Outcome(StepFailed{frame.error()});
    }
    Outcome operator()(const ImageStep& s) const {
        if (!devices_.image)
            return noCamera();
        // Frames are stamped by the computer's clock, and that may be set meanwhile.
        const double ahead_s = devices_.clock->steady_s() - devices_.clock->now().unix_s;
        auto taken = devices_.image(s, control_.halt);
        if (!taken)
            return StepFailed{taken.error()};
        if (devices_.guide) {
            const double from_s = taken->start.unix_s + ahead_s;
            taken->guide = devices_.guide->during(from_s, from_s + taken->exposure_s);
        }
        return Outcome(std::move(*taken));
    }
    Outcome operator()(const GuideStep& s) const {
        if (!devices_.guide)
            return StepFailed{{Text::say("Nothing guides here."),
                               Text::say("There is no guide loop beside this procedure."),
                               Text::say("Connect a guide camera.")}};
        Expected<GuideAnswered> answer;
        switch (s.act) {
        case GuideStep::Act::start:
            answer = devices_.guide->start(control_.halt);
            break;
        case GuideStep::Act::stop:
            answer = devices_.guide->stop(control_.halt);
            break;
        case GuideStep::Act::dither:
            answer = devices_.guide->dither(s.by, s.settle, control_.halt);
            break;
        case GuideStep::Act::follow:
            answer = devices_.guide->follow(s.by);
            break;
        }
        return answer ? Outcome(*answer) : Outcome(StepFailed{answer.error()});
    }
    Outcome operator()(const FocuserStep& s) const {
        Focuser* focuser = focuserOf(devices_, s.camera);
        if (!focuser)
            return StepFailed{{Text::say("There is no focuser on this camera."),
                               Text::say("None is connected."), Text::say("Connect it, or focus by hand.")}};
        if (s.steps)
            if (auto moved = focuser->moveTo(*s.steps, control_.halt); !moved)
                return StepFailed{moved.error()};
        auto state = focuser->state();
        return state ? Outcome(FocuserAnswered{*state}) : Outcome(StepFailed{state.error()});
    }
    Outcome operator()(const FilterStep& s) const {
        if (!devices_.wheel)
            return StepFailed{{Text::say("There is no filter wheel."), Text::say("None is connected."),
                               Text::say("Connect it, or change filters by hand.")}};
        if (s.slot)
            if (auto moved = devices_.wheel->moveTo(*s.slot, control_.halt); !moved)
                return StepFailed{moved.error()};
        auto state = devices_.wheel->state();
        return state ? Outcome(FilterAnswered{*state}) : Outcome(StepFailed{state.error()});
    }
    Outcome operator()(const TurnStep& s) const {
        if (!devices_.rotator)
            return StepFailed{{Text::say("There is no rotator."), Text::say("None is connected."),
                               Text::say("Connect it, or turn the camera by hand.")}};
        if (s.angle_deg)
            if (auto turned = devices_.rotator->moveTo(*s.angle_deg, control_.halt); !turned)
                return StepFailed{turned.error()};
        auto state = devices_.rotator->state();
        return state ? Outcome(RotatorAnswered{*state}) : Outcome(StepFailed{state.error()});
    }
    Outcome operator()(const GainStep& s) const {
        Camera* camera = cameraFor(s.camera);
        if (!camera)
            return noCamera();
        // Not by the camera that keeps the rig's gain.
        if (s.camera == CameraRole::guide && devices_.rawGuideCamera)
            camera = devices_.rawGuideCamera;
        if (s.setting)
            if (auto set = camera->setGain(*s.setting, control_.halt); !set)
                return StepFailed{set.error()};
        auto state = camera->gain(control_.halt);
        return state ? Outcome(GainAnswered{*state}) : Outcome(StepFailed{state.error()});
    }
    Outcome operator()(const CoolerStep& s) const {
        if (!devices_.cooling)
            return StepFailed{{Text::say("The imaging camera has no cooler."),
                               Text::say("None is connected."), Text::say("Take the frames without it.")}};
        if (s.act == CoolerStep::Act::cool)
            devices_.cooling->cool(s.to_c);
        if (s.act == CoolerStep::Act::warm)
            devices_.cooling->warm();
        auto answer = devices_.cooling->ask();
        return answer ? Outcome(*answer) : Outcome(StepFailed{answer.error()});
    }
    Outcome operator()(const WaitStep& s) const {
        devices_.clock->sleep(s.seconds, control_.halt);
        return StepFinished{};
    }
    Outcome operator()(const DoneStep&) const { return StepFinished{}; }
    Outcome operator()(const FailStep&) const { return StepFinished{}; }

private:
    Camera* cameraFor(CameraRole role) const {
        return role == CameraRole::guide ? devices_.guideCamera : devices_.imagingCamera;
    }
    static Outcome noCamera() {
        return StepFailed{{Text::say("There is no such camera."),
                           Text::say("The rig names a camera that is not connected."),
                           Text::say("Connect the camera or use the other one.")}};
    }
    static Outcome finished(const Expected<void>& result) {
        return result ? Outcome(StepFinished{}) : Outcome(StepFailed{result.error()});
    }
    Devices& devices_;
    RunnerControl& control_;
};

} // namespace

Expected<void> runProcedure(Procedure& procedure, Devices& devices, RunnerControl& control,
                            const RunnerHooks& hooks) {
    const Executor execute(devices, control);
    decltype(Event::what) what = Started{};
    MountState mount;
    mount.told = false;
    if (procedure.needsMount())
        if (const auto told = devices.mount->state(); !told)
            return tl::unexpected(told.error());
    for (;;) {
        // A frame that was taken is not thrown away.
        const bool taken = std::holds_alternative<ImageTaken>(what);
        const auto halted = [&] {
            return StepFailed{control.mountGoesOn ? stoppedProblem() : haltedProblem()};
        };
        if (hooks.ahead)
            hooks.ahead(procedure);
        const MountState before = mount;
        // What a silent mount said last still holds until it says otherwise.
        if (auto told = devices.mount->state())
            mount = *told;
        // Asked after the mount: what a halt has done to it must not pass for its own doing.
        const bool halts = control.halt, stops = control.stop;
        if (halts && !taken)
            what = halted();
        else if (stops && !taken && !std::holds_alternative<StepFailed>(what))
            what = StopAsked{};
        const auto next = [&](const MountState& state) {
            return procedure.next(Event{devices.clock->now(), state, what, devices.clock->steady_s()});
        };
        Step step = next(taken && halts ? before : mount);
        if (taken && (halts || stops)) {
            what = halts ? decltype(what)(halted()) : StopAsked{};
            step = next(mount);
        }
        if (hooks.before)
            hooks.before(procedure, step);
        // Nothing may delay a correction: files and pictures wait until it is given.
        if (hooks.seen && !std::holds_alternative<PulseStep>(step))
            hooks.seen(procedure);
        if (std::holds_alternative<DoneStep>(step) || std::holds_alternative<FailStep>(step)) {
            if (const auto* fail = std::get_if<FailStep>(&step))
                return tl::unexpected(fail->problem);
            return {};
        }
        what = std::visit(execute, step);
    }
}

Expected<void> runGuarded(Procedure& procedure, Devices& devices, RunnerControl& control,
                          const RunnerHooks& hooks) {
    try {
        return runProcedure(procedure, devices, control, hooks);
    } catch (const std::exception& e) {
        return problem(Text::say("The procedure broke off."),
                       Text::say("Unexpected failure: %1.").arg(e.what()),
                       Text::say("Try again; what was recorded is kept."));
    } catch (...) {
        return problem(Text::say("The procedure broke off."),
                       Text::say("Unexpected failure of an unknown kind."),
                       Text::say("Try again; what was recorded is kept."));
    }
}

} // namespace nordstjerna
