#include "tool/series_night.h"

#include <algorithm>

#include "core/base/number_text.h"
#include "core/motion/recent_mount.h"
#include "core/procedure/series.h"
#include "core/rig/scales.h"
#include "core/sky/sides.h"
#include "edge/guide_runner.h"
#include "edge/store/fits.h"
#include "edge/store/run_table.h"
#include "edge/store/series_keeper.h"
#include "edge/store/series_table.h"
#include "tool/simulated_setup.h"
#include "tool/tool_commands.h"

namespace nordstjerna {

namespace {

Json storyJson(const std::vector<SeriesFrame>& frames, const SeriesStory& story) {
    Json j = Json::object();
    if (story.creep)
        j["creep"] = {{"east_arcsec_min", measured(story.creep->east_arcsec_min, 4)},
                      {"north_arcsec_min", measured(story.creep->north_arcsec_min, 4)},
                      {"frames", story.creep->frames}};
    if (story.oval) {
        Json causes = Json::array();
        for (const OvalShare& s : story.oval->causes)
            causes.push_back({{"cause", ovalCauseName(s.cause)}, {"share", number(s.share, 3)}});
        j["oval"] = {{"oval", story.oval->oval},
                     {"elongation", number(story.oval->elongation, 4)},
                     {"position_angle_deg", number(story.oval->positionAngle_deg, 1)},
                     {"causes", causes}};
    }
    j["findings"] = findingsJson(seriesFindings(frames, story));
    return j;
}

// What guided meanwhile, from its table.
class GuidedMeanwhile {
public:
    explicit GuidedMeanwhile(Run run) : run_(std::move(run)) {
        for (const RunRow& row : run_.rows)
            glances_.push_back(glanceOf(run_.meta.start.unix_s, row));
        if (auto d = rebuildDisturbance(run_)) {
            track_ = trackMount(*d);
            disturbance_ = std::move(*d);
        }
    }
    GuideShare during(Instant from, Instant to) const {
        GuideShare share = guideShare(glances_, from.unix_s, to.unix_s);
        if (disturbance_)
            share.mountPart_arcsec =
                exposureMountPart(run_, *disturbance_, track_, from - run_.meta.start, to - run_.meta.start);
        return share;
    }

private:
    Run run_;
    std::vector<GuideGlance> glances_;
    std::optional<Disturbance> disturbance_;
    MountTrack track_;
};

// The places of the aim by the dithers of a run and the rates at which it went on, imaging pixels.
DitherSpot aimAt(const Run& run, Instant when, double scale) {
    AimPath path;
    for (const RunRow& row : run.rows) {
        if (run.meta.start + row.t_s > when)
            break;
        if (const auto by = row.events.aimMove())
            path.moveBy(*by);
        if (const auto rate = row.events.aimRate())
            path.setRate(rate->arcsec_s());
        path.goTo(row.t_s);
    }
    const SkyError aim = path.at(when - run.meta.start);
    return {aim.dra_arcsec / scale, aim.ddec_arcsec / scale};
}

} // namespace

Expected<Json> simulateSeries(const SimulateRequest& request) {
    auto setUp = openSimulated(request);
    if (!setUp)
        return tl::unexpected(setUp.error());
    SimulatedNight& night = *setUp->night;
    Devices& devices = setUp->devices;
    const Rig rig = setUp->rig();
    if (!request.rendered && !request.frames)
        devices.image = night.imageDirectly();
    RunnerControl control;
    const auto turn = night.clock().reserve();
    turn->take();
    CalibrationRun measurement({rig});
    const auto measuredCalibration = calibrate(devices, measurement);
    if (!measuredCalibration)
        return tl::unexpected(measuredCalibration.error());
    const Calibration& calibration = *measuredCalibration;
    GuideRunner guideRunner(devices);
    devices.guide = &guideRunner;
    guideRunner.setPrepare([&](const StopFlag&) -> Expected<GuideRunnerPlan> {
        const auto setup = guidingSetup(*setUp, calibration);
        if (!setup)
            return tl::unexpected(setup.error());
        return GuideRunnerPlan{std::make_shared<Guiding>(*setup), {}, {}};
    });
    SeriesSetup setup;
    setup.rig = rig;
    setup.targetName = night.scenario().targetName;
    setup.target = vectorFrom(night.scenario().target);
    setup.exposure_s = request.imageExposure_s;
    setup.dither.size_px = request.dither_px;
    setup.dither.every = request.ditherEvery;
    setup.seed = night.scenario().seed;
    setup.ends.at = night.clock().now() + 60.0 * request.minutes;
    Series series(setup);
    std::unique_ptr<SeriesKeeper> keeper;
    if (request.frames)
        keeper = std::make_unique<SeriesKeeper>(*request.frames);
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (!keeper)
            return;
        keeper->keep(series);
        if (series.unsaved())
            control.stop = true;
    };
    const auto done = runProcedure(series, devices, control, hooks);
    if (guideRunner.running())
        (void)guideRunner.stop(control.halt);
    if (!done)
        return tl::unexpected(done.error());
    if (series.unsaved())
        return tl::unexpected(*series.unsaved());
    std::vector<SeriesFrame> frames = series.frames();
    if (keeper) {
        while (!keeper->finish(1.0) && !keeper->trouble()) { // a slow disk is waited for, a full one is told
        }
        if (const auto trouble = keeper->trouble())
            return tl::unexpected(*trouble);
        for (SeriesFrame& f : frames)
            if (const auto files = keeper->files(); files.contains(f.number))
                f.file = files.at(f.number);
    }
    if (const auto written =
            writeSeriesTable(request.out, setup, frames, series.solved() ? &series.solved()->plane : nullptr);
        !written)
        return tl::unexpected(written.error());
    Json result{{"out", request.out.string()},
                {"kind", "series"},
                {"rows", series.frames().size()},
                {"frames", keeper ? keeper->saved() : 0},
                {"ended", series.ending().english()},
                {"flipped", series.flipped().has_value()},
                {"mount", series.mountAfterwards().english()}};
    result.update(storyJson(series.frames(), series.story()));
    return result;
}

Expected<Json> commandSeries(const SeriesRequest& request) {
    std::optional<Run> run;
    if (request.run) {
        auto read = readRunTable(*request.run);
        if (!read)
            return tl::unexpected(read.error());
        run = std::move(*read);
    }
    const auto guided = run ? std::optional<GuidedMeanwhile>(*run) : std::nullopt;
    std::vector<SeriesFrame> frames;
    std::optional<SolvedFrame> solved;
    double scale = 0.0;
    Json list = Json::array();
    for (const auto& path : request.frames) {
        auto frame = readFits(path);
        if (!frame)
            return tl::unexpected(frame.error());
        if (!frame->info.start || frame->info.exposure_s <= 0.0)
            return problem(Text::say("%1 does not say when it was exposed.").arg(path.string()),
                           Text::say("Its header has no DATE-OBS or no EXPTIME."),
                           Text::say("Leave it out."));
        const auto field = detectStars(*frame);
        if (!field)
            return tl::unexpected(field.error());
        SeriesFrame f;
        f.start = *frame->info.start;
        f.exposure_s = frame->info.exposure_s;
        f.file = path.string();
        f.look = lookAt(*frame, *field);
        const auto keys = readFitsKeys(path, {"PIERSIDE", "DITHERX", "DITHERY"});
        const auto key = [&keys](const char* name) {
            const auto at = keys.find(name);
            return at == keys.end() ? std::string() : at->second;
        };
        f.side = lookingFrom(key("PIERSIDE"));
        if (guided)
            f.guide = guided->during(f.start, f.start + f.exposure_s);
        if (!solved) {
            const auto index = StarIndex::loadDefault();
            if (!index)
                return tl::unexpected(index.error());
            auto answer = solveOrDiagnose(**index, *frame, {});
            if (!answer)
                return tl::unexpected(answer.error());
            solved = *answer;
            scale = solved->plane.scaleArcsecPx();
        }
        const auto x = wholeNumber(key("DITHERX"));
        const auto y = wholeNumber(key("DITHERY"));
        f.spot = x && y ? DitherSpot{*x, *y} : run ? aimAt(*run, f.start, scale) : DitherSpot{};
        frames.push_back(std::move(f));
    }
    std::sort(frames.begin(), frames.end(),
              [](const SeriesFrame& a, const SeriesFrame& b) { return a.start < b.start; });
    std::vector<SeriesFrame> judged;
    for (SeriesFrame& f : frames) {
        f.number = static_cast<int>(judged.size()) + 1;
        f.remark = remarkOn(f, judged);
        if (!judged.empty())
            f.moved = movedSince(judged.back(), f, solved->plane, frames.front().side, scale);
        judged.push_back(f);
    }
    SeriesStory story;
    story.creep = creepOf(judged);
    story.oval = whyOval(judged, solved->plane, story.creep, scale);
    for (const SeriesFrame& f : judged) {
        const double pa = Angle::fromDeg(solved->plane.positionAngle_deg(f.look.angle_deg())).wrapped().deg();
        Json row{{"file", f.file},
                 {"start_utc", formatInstant(f.start)},
                 {"exposure_s", number(f.exposure_s, 3)},
                 {"stars", f.look.stars},
                 {"fwhm_arcsec", measured({f.look.fwhm_px.value * scale, f.look.fwhm_px.sigma * scale}, 3)},
                 {"hfd_px", number(f.look.hfd_px, 3)},
                 {"elongation", number(f.look.elongation(), 4)},
                 {"position_angle_deg", measured({std::fmod(pa, 180.0), f.look.angleSigma_deg()}, 1)},
                 {"remark", remarkWord(f.remark)}};
        if (f.guide.looks > 0)
            row["guide"] = {{"ra_arcsec", number(f.guide.ra_arcsec, 4)},
                            {"dec_arcsec", number(f.guide.dec_arcsec, 4)},
                            {"total_arcsec", number(f.guide.total_arcsec(), 4)}};
        list.push_back(std::move(row));
    }
    Json result{{"frames", list}};
    result.update(storyJson(judged, story));
    return result;
}

} // namespace nordstjerna
