#include "tool/tool_commands.h"

#include <atomic>
#include <iostream>

#include "charts/report.h"
#include "core/base/format.h"
#include "core/findings/rates_findings.h"
#include "core/findings/rig_findings.h"
#include "core/findings/run_story.h"
#include "core/image/star_detect.h"
#include "core/image/star_shape.h"
#include "core/procedure/pole_measurement.h"
#include "core/rig/scales.h"
#include "edge/platesolve/plate_solver.h"
#include "edge/store/fits.h"
#include "edge/store/run_table.h"
#include "tool/analysis_json.h"

namespace nordstjerna {

Expected<Json> commandStars(const std::filesystem::path& path) {
    const auto frame = readFits(path);
    if (!frame)
        return tl::unexpected(frame.error());
    DetectOptions all;
    all.most = 5000;
    auto field = detectStars(*frame, all);
    if (!field)
        return tl::unexpected(field.error());
    placeByShape(*frame, field->stars);
    Json stars = Json::array();
    for (const Star& s : field->stars)
        stars.push_back({{"x", number(s.x + 1.0, 4)}, // FITS counts from one
                         {"y", number(s.y + 1.0, 4)},
                         {"flux", number(s.flux, 1)},
                         {"snr", number(s.snr, 2)},
                         {"hfd", number(s.hfd, 3)},
                         {"peak", number(s.peak, 1)},
                         {"saturated", s.saturated},
                         {"sigma_x", number(s.sigmaX, 4)},
                         {"sigma_y", number(s.sigmaY, 4)}});
    return Json{{"stars", stars},
                {"background", number(field->background, 2)},
                {"noise", number(field->noise, 3)},
                {"hot_pixels", field->hotPixels},
                {"tracks", field->tracks}};
}

Expected<SolvedFrame> solveOrDiagnose(StarIndex& index, const Frame& frame, const SolveOptions& options) {
    const std::atomic<bool> never{false};
    auto solved = solveFrame(index, frame, options, never);
    if (!solved)
        return tl::unexpected(diagnoseUnsolved(frame, solved.error()));
    return solved;
}

Json solutionJson(const SolvedFrame& solved) {
    const Equatorial centre = solved.centre();
    Json json{{"ra", number(centre.ra.deg(), 7)},
              {"dec", number(centre.dec.deg(), 7)},
              {"roll", number(solved.plane.roll().wrapped().deg(), 5)},
              {"scale_arcsec_px", number(solved.plane.scaleArcsecPx(), 6)},
              {"parity", solved.plane.mirrored() ? "mirrored" : "normal"},
              {"matched", solved.matched},
              {"rms_arcsec", number(solved.rms_arcsec, 3)},
              {"sigma_centre_arcsec", number(solved.sigmaCentre_arcsec, 3)},
              {"sigma_roll_arcsec", number(solved.sigmaRoll_arcsec, 2)}};
    if (solved.chance > 0.0)
        json["chance"] = solved.chance;
    return json;
}

SolveOptions optionsOf(const PlaceHint& hint) {
    SolveOptions options;
    options.scale_arcsec_px = hint.scale_arcsec_px.value_or(0.0);
    options.scaleTolerance = hint.scaleTolerance;
    options.radius_deg = hint.radius_deg;
    if (hint.ra_deg && hint.dec_deg)
        options.near = vectorFrom(Equatorial{Angle::fromDeg(*hint.ra_deg), Angle::fromDeg(*hint.dec_deg)});
    if (hint.roll_deg)
        options.roll = Angle::fromDeg(*hint.roll_deg);
    options.rollTolerance = Angle::fromDeg(hint.rollTolerance_deg);
    return options;
}

Expected<Json> commandSolve(const SolveRequest& request) {
    if (request.write && std::filesystem::exists(*request.write))
        return problem(Text::say("%1 exists already.").arg(request.write->string()),
                       Text::say("It was left as it is."), Text::say("Choose another name."));
    const auto frame = readFits(request.frame);
    if (!frame)
        return tl::unexpected(frame.error());
    const auto index = StarIndex::loadDefault();
    if (!index)
        return tl::unexpected(index.error());
    const auto solved = solveOrDiagnose(**index, *frame, optionsOf(request.hint));
    if (!solved)
        return tl::unexpected(solved.error());
    if (request.write)
        if (const auto done = copyWithWcs(request.frame, *request.write, *solved); !done)
            return tl::unexpected(done.error());
    return solutionJson(*solved);
}

Expected<Json> commandPole(const PoleRequest& request) {
    const auto index = StarIndex::loadDefault();
    if (!index)
        return tl::unexpected(index.error());
    std::vector<Sighting> sightings;
    Json list = Json::array();
    for (const auto& path : request.frames) {
        const auto frame = readFits(path);
        if (!frame)
            return tl::unexpected(frame.error());
        const auto middle = frame->info.middle();
        if (!middle)
            return problem(Text::say("%1 does not say when it was taken.").arg(path.string()),
                           Text::say("It has no readable DATE-OBS."),
                           Text::say("Use frames with DATE-OBS (start of exposure, UTC) and EXPTIME."));
        auto solved = solveOrDiagnose(**index, *frame, {});
        if (!solved) {
            Problem p = solved.error();
            p.what = Text::say("%1: %2").arg(path.filename().string()).arg(p.what);
            return tl::unexpected(p);
        }
        const ObservedFrame at(request.site, *middle, request.dut1_s);
        sightings.push_back(makeSighting(*solved, at, airMotion_arcsec(frame->info.exposure_s)));
        std::cerr << path.filename().string() << ": solved with " << solved->matched << " stars\n";
        const AltAz place = altAzFrom(sightings.back().direction());
        list.push_back({{"frame", path.filename().string()},
                        {"altitude", number(place.altitude.deg(), 4)},
                        {"azimuth", number(place.azimuth.deg(), 4)},
                        {"sigma_arcsec", number(sightings.back().sigmaDirection_arcsec, 2)}});
    }
    const auto fit = fitAxis(sightings, request.site);
    if (!fit)
        return tl::unexpected(fit.error());
    const PoleError e = poleError(*fit, request.site, request.reference);
    return Json{{"east_arcmin", measured(e.east_arcmin, 4)},
                {"high_arcmin", measured(e.high_arcmin, 4)},
                {"total_arcmin", measured(e.total_arcmin, 4)},
                {"reference", request.reference == PoleReference::refracted ? "refracted" : "true"},
                {"span_deg", number(fit->span_deg, 2)},
                {"sightings", list}};
}

Expected<Json> commandScales(const ScalesRequest& r) {
    const Scales s{scaleArcsecPx(r.guidePixel_um, r.guideFocal_mm, r.guideBin),
                   scaleArcsecPx(r.imagePixel_um, r.imageFocal_mm, r.imageBin)};
    const double guidePx = ditherGuidePx(s, r.dither_px);
    return Json{{"guide_scale", number(s.guide_arcsec_px, 6)},
                {"image_scale", number(s.image_arcsec_px, 6)},
                {"ratio", number(s.ratio(), 6)},
                {"dither_guide_px", number(guidePx, 5)},
                {"dither_arcsec", number(guidePx * s.guide_arcsec_px, 5)},
                {"findings", findingsJson(scaleFindings(s.guide_arcsec_px, s.image_arcsec_px))}};
}

Expected<Json> commandCalibrate(const std::filesystem::path& path) {
    const auto table = readCalibrationTable(path);
    if (!table)
        return tl::unexpected(table.error());
    const auto setup = table->setup();
    if (!setup)
        return tl::unexpected(setup.error());
    const auto calibration = fitCalibration(table->samples, *setup);
    if (!calibration)
        return tl::unexpected(calibration.error());
    const auto axis = [](const AxisRate& a) {
        return Json{{"rate_px_s", measured(a.rate_px_s, 5)},
                    {"angle_deg", measured(a.angle_deg, 3)},
                    {"steps", a.steps}};
    };
    return Json{{"ra", axis(calibration->ra)},
                {"dec", axis(calibration->dec)},
                {"orthogonality_deg", measured(calibration->orthogonality_deg, 3)},
                {"dec_backlash_ms", measured(calibration->decBacklash_ms, 1)},
                {"drift_px_min", measured(calibration->drift_px_min, 3)},
                {"verdict", verdictName(calibration->verdict)},
                {"findings", findingsJson(calibrationFindings(*calibration))}};
}

Expected<Json> commandAnalyse(const AnalyseRequest& request) {
    const Expected<Run> run = readRunTable(request.table);
    if (!run)
        return tl::unexpected(run.error());
    RunSurroundings around;
    around.wormPeriod_s = request.wormPeriod_s;
    const auto story = tellRun(*run, around);
    if (!story)
        return tl::unexpected(story.error());
    Json result = analysisJson(*run, *story);
    if (request.report) {
        if (const auto done = writeReport(*request.report, *run, *story, false); !done)
            return tl::unexpected(done.error());
        result["report"] = request.report->string();
    }
    return result;
}

} // namespace nordstjerna
