#include "tool/simulate.h"

#include <cstdio>

#include "core/motion/tune.h"
#include "core/procedure/backlash_test.h"
#include "core/procedure/guiding.h"
#include "core/procedure/run_meta.h"
#include "edge/runner.h"
#include "edge/store/fits.h"
#include "edge/store/run_recorder.h"
#include "tool/simulated_setup.h"

namespace nordstjerna {

namespace {

// Saves every full frame that a procedure takes.
class FrameKeeper {
public:
    explicit FrameKeeper(const std::optional<std::filesystem::path>& folder) : folder_(folder) {}

    Expected<void> prepare() {
        if (!folder_)
            return {};
        std::error_code error;
        std::filesystem::create_directories(*folder_, error);
        if (error)
            return problem(Text::say("Cannot create the folder %1.").arg(folder_->string()),
                           error.message() + ".", Text::say("Check the path."));
        return {};
    }
    Expected<void> keep(const Frame& frame) {
        if (!folder_)
            return {};
        char name[32];
        std::snprintf(name, sizeof name, "frame-%04d.fits", ++count_);
        return writeFits(*folder_ / name, frame);
    }
    int count() const { return count_; }

private:
    std::optional<std::filesystem::path> folder_;
    int count_ = 0;
};

// Takes a full frame every so often beside the run, so that --frames shows the night.
constexpr double frameEvery_s = 30.0;

RunMeta calibrationMeta(const Rig& rig, const Calibration& calibration, Instant start) {
    RunMeta m = runMetaFor(rig, RunKind::calibration);
    m.start = start;
    m.dec_deg = calibration.setup.dec.deg();
    m.hourAngle_h = calibration.setup.hourAngle_h;
    m.side = calibration.setup.side;
    m.raRate_arcsec_s =
        calibration.ra.rate_px_s.value * calibration.setup.scale_arcsec_px * cos(calibration.setup.dec);
    m.decRate_arcsec_s = calibration.dec.rate_px_s.value * calibration.setup.scale_arcsec_px;
    return m;
}

// What a person gets who records a free run and presses Tune, without a look at the simulator's truth.
Expected<Tune> tuneFirst(SimulatedSetup& setUp, const Calibration& calibration) {
    constexpr double least_s = 900.0;
    auto setup = guidingSetup(setUp, calibration, false);
    if (!setup)
        return tl::unexpected(setup.error());
    setup->length_s = std::max(least_s, 2.2 * setUp.rig().mount.wormPeriod_s);
    Guiding free(*setup);
    RunnerControl control;
    if (const auto done = runProcedure(free, setUp.devices, control); !done)
        return tl::unexpected(done.error());
    return tune(free.run(), setUp.book, nullptr);
}

Json tunedJson(const Tune& t) {
    Json changes = Json::array();
    for (const Recommendation& r : t.changes)
        changes.push_back({{"setting", settingId(r.key)},
                           {"value", settingText(r.key, r.value).english()},
                           {"evidence", r.evidence.english()},
                           {"reason", r.reason.english()}});
    return Json{{"now_total_arcsec", measured(t.now.total_arcsec, 4)},
                {"now_mount_part_arcsec", measured(t.now.mountPart_arcsec, 4)},
                {"proposed_total_arcsec", measured(t.proposed.total_arcsec, 4)},
                {"proposed_mount_part_arcsec", measured(t.proposed.mountPart_arcsec, 4)},
                {"changes", changes}};
}

} // namespace

Expected<Json> simulate(const SimulateRequest& request) {
    auto setUp = openSimulated(request);
    if (!setUp)
        return tl::unexpected(setUp.error());
    FrameKeeper keeper(request.frames);
    if (const auto ready = keeper.prepare(); !ready)
        return tl::unexpected(ready.error());

    SimulatedNight& night = *setUp->night;
    Devices& devices = setUp->devices;
    SettingsBook& book = setUp->book;
    const Rig rig = setUp->rig();
    RunnerControl control;

    if (request.kind == RunKind::calibration) {
        const Instant start = night.clock().now();
        CalibrationRun measurement({rig});
        const auto calibration = calibrate(devices, measurement);
        if (!calibration)
            return tl::unexpected(calibration.error());
        if (measurement.frame())
            if (const auto kept = keeper.keep(*measurement.frame()); !kept)
                return tl::unexpected(kept.error());
        const auto done = writeCalibrationTable(
            request.out, {calibrationMeta(rig, *calibration, start), calibration->samples});
        if (!done)
            return tl::unexpected(done.error());
        return Json{
            {"out", request.out.string()}, {"kind", "calibration"}, {"rows", calibration->samples.size()}};
    }

    // Free runs too need measured rates: they give the signs and the scale of the sky's axes. The calibration
    // comes first and is not part of the run.
    CalibrationRun measurement({rig});
    const auto calibration = calibrate(devices, measurement);
    if (!calibration)
        return tl::unexpected(calibration.error());
    if (request.kind == RunKind::backlash) {
        BacklashTest test({rig, *calibration});
        if (const auto done = runProcedure(test, devices, control); !done)
            return tl::unexpected(done.error());
        if (const auto done = writeRunTable(request.out, test.run()); !done)
            return tl::unexpected(done.error());
        return Json{{"out", request.out.string()}, {"kind", "backlash"}, {"rows", test.run().rows.size()}};
    }
    Json tuned;
    if (request.tuned) {
        const auto proposal = tuneFirst(*setUp, *calibration);
        if (!proposal)
            return tl::unexpected(proposal.error());
        tuned = tunedJson(*proposal);
        for (const Recommendation& r : proposal->changes)
            book.change(r.key, r.value, "measured", r.reason.english(), night.clock().now());
    }
    auto setup = guidingSetup(*setUp, *calibration, request.kind == RunKind::guided);
    if (!setup)
        return tl::unexpected(setup.error());
    setup->length_s = 60.0 * request.minutes;
    Guiding guiding(*setup);

    RunRecorder recorder(request.out);
    std::optional<Problem> failure;
    double nextFrame_s = 0.0;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        const Run& run = guiding.run();
        if (run.rows.empty() || failure)
            return;
        if (const auto done = recorder.update(run); !done) {
            failure = done.error();
            control.stop = true;
            return;
        }
        if (request.frames && run.rows.back().t_s >= nextFrame_s) {
            nextFrame_s = run.rows.back().t_s + frameEvery_s;
            const auto frame = night.guideCamera().expose(rig.guiding.exposure_s, control.halt);
            const auto kept = frame ? keeper.keep(**frame) : tl::unexpected(frame.error());
            if (!kept) {
                failure = kept.error();
                control.stop = true;
            }
        }
    };
    const auto done = runProcedure(guiding, devices, control, hooks);
    if (failure)
        return tl::unexpected(*failure);
    if (!done)
        return tl::unexpected(done.error());
    Json result{{"out", request.out.string()},
                {"kind", runKindName(request.kind)},
                {"rows", recorder.state().rows},
                {"frames", keeper.count()}};
    if (guiding.ending())
        result["ended"] = guiding.ending()->text();
    if (guiding.runaway())
        result["runaway"] = guiding.runaway()->text();
    if (!tuned.is_null())
        result["tuned"] = tuned;
    return result;
}

} // namespace nordstjerna
