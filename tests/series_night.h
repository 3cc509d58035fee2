// A whole series on the simulated night with guiding beside it, on a clock that jumps.
#pragma once

#include "core/calibration/reuse.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/series.h"
#include "core/procedure/slew.h"
#include "edge/devices/observatory.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/guide_runner.h"
#include "eventually.h"
#include "night_fixture.h"

// The demo's mount once the pole was aligned, at the hour the target stands well. A quarter of the sensor:
// the nights are the same, and the frames that are solved cost less.
inline nordstjerna::Scenario seriesScenario() {
    nordstjerna::Scenario s = demoScenario();
    s.axisEast_arcmin = 0.4;
    s.axisHigh_arcmin = -0.3;
    s.rig.imagingCamera.width /= 2;
    s.rig.imagingCamera.height /= 2;
    return s;
}

struct SeriesNight {
    nordstjerna::SimulatedNight night;
    nordstjerna::Devices devices;
    std::optional<nordstjerna::Calibration> calibration;
    std::optional<bool> reverses; // learnt
    std::vector<nordstjerna::Run> runs;
    nordstjerna::ControllerSettings controller;
    double guideExposure_s = 2.0;
    nordstjerna::GuideRunner guideRunner; // last: its thread tells the above when it ends

    explicit SeriesNight(const nordstjerna::Scenario& s, bool rendered = false)
        : night(s, sharedIndex()), devices(night.devices()), guideRunner(devices) {
        if (!rendered) {
            devices.track = night.trackDirectly();
            devices.image = night.imageDirectly();
            guideRunner.setMountPart(false);
        }
        devices.guide = &guideRunner;
        guideRunner.setPrepare(
            [this](const nordstjerna::StopFlag&) -> nordstjerna::Expected<nordstjerna::GuideRunnerPlan> {
                const auto mount = night.mount().state();
                if (!mount)
                    return tl::unexpected(mount.error());
                nordstjerna::GuidingSetup g;
                g.rig = night.scenario().rig;
                g.controller = controller;
                g.exposure_s = guideExposure_s;
                g.calibration = calibration->setup.side == mount->side
                                    ? *calibration
                                    : nordstjerna::calibrationAcrossPier(*calibration, reverses);
                auto guiding = std::make_shared<nordstjerna::Guiding>(g);
                nordstjerna::GuideRunnerPlan plan;
                plan.guiding = guiding;
                plan.ended = [this, guiding](const nordstjerna::Expected<void>&) {
                    runs.push_back(guiding->run());
                    if (guiding->decReversed())
                        reverses = guiding->decReversed();
                };
                return plan;
            });
    }

    nordstjerna::Expected<void> calibrate(double hourAngle_h = -1.5, double dec_deg = 10.0) {
        using namespace nordstjerna;
        Slew slew(night.scenario().rig, {Angle::fromHours(hourAngle_h), Angle::fromDeg(dec_deg)}, "");
        if (auto done = runProcedure(slew, devices, control); !done)
            return done;
        CalibrationRun m({night.scenario().rig});
        if (auto done = runProcedure(m, devices, control); !done)
            return done;
        calibration = *m.result();
        return {};
    }

    nordstjerna::SeriesSetup setup(double exposure_s = 180.0) const {
        nordstjerna::SeriesSetup s;
        s.rig = night.scenario().rig;
        s.targetName = night.scenario().targetName;
        s.target = nordstjerna::vectorFrom(night.scenario().target);
        s.exposure_s = exposure_s;
        return s;
    }

    // Who looks on while guiding runs beside needs a turn of the clock: without one the night goes by.
    std::unique_ptr<nordstjerna::Clock::Turn> take() {
        auto turn = night.clock().reserve();
        turn->take();
        return turn;
    }
    // Has a turn of the clock while it runs. Guiding that goes on afterwards goes on without waiting for
    // anybody.
    nordstjerna::RunnerControl control;
    nordstjerna::Expected<void> run(nordstjerna::Procedure& p, const nordstjerna::RunnerHooks& hooks = {}) {
        const auto turn = take();
        return nordstjerna::runProcedure(p, devices, control, hooks);
    }
    // Lets time pass before anything is done.
    void waitUntil(const char* utc) {
        const nordstjerna::StopFlag go{false};
        night.clock().sleep(*nordstjerna::parseInstant(utc) - night.clock().now(), go);
    }
};

// The same night by way of the observatory, as the window has it: a mount whose answers are waited for, and
// that is put right when it answers again.
struct GuardedNight {
    nordstjerna::Observatory observatory;
    nordstjerna::Devices devices;

    explicit GuardedNight(SeriesNight& n)
        : observatory(n.devices, 3.0, nullptr, 2.0), devices(observatory.devices()), mount_(n.night.mount()) {
        observatory.guard().setRig(n.night.scenario().rig);
        devices.track = n.devices.track;
        devices.image = n.devices.image;
        devices.guide = &n.guideRunner;
        n.devices.mount = devices.mount;
    }

    // Empty: the mount stands still, and nothing is owed to it. A call may still be on its way back.
    std::string whyNotAtRest() {
        const bool paid = nordstjerna::eventually([&] {
            static_cast<void>(devices.mount->state());
            return !observatory.owes();
        });
        const auto mount = mount_.state();
        return !mount            ? "does not answer"
               : mount->tracking ? "tracks"
               : mount->moving   ? "moves"
               : !paid           ? "is owed something"
                                 : "";
    }

private:
    nordstjerna::Mount& mount_;
};
