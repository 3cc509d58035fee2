#include "core/review/entry_figures.h"

#include <cmath>

#include "core/base/statistics.h"
#include "core/motion/loop_replay.h"

namespace nordstjerna {

namespace {
constexpr int harmonicsKept = 3;

// Of one frame, without the centroids' own noise. Guided, the frames after a gust show what the loop made of
// it: the air is what is not the mount's motion.
std::optional<Measured> airOf(const Run& run, const RunStory& story) {
    const MotionAnalysis& m = story.motion;
    if (run.meta.kind != RunKind::guided)
        return bothAxes(m.ra.air_arcsec, m.dec.air_arcsec);
    if (!story.guided)
        return std::nullopt;
    const LoopFigures& f = story.guided->recorded;
    Measured air = quadratureRest(quadratureRest(f.total_arcsec, f.mountPart_arcsec),
                                  bothAxes(m.ra.centroid_arcsec, m.dec.centroid_arcsec));
    // What the air does slowly passes for the mount: by so much, over many mounts.
    air.sigma = std::hypot(air.sigma, 0.05 * air.value);
    return air;
}
} // namespace

EntryKind entryKindOf(RunKind kind) {
    switch (kind) {
    case RunKind::guided:
        return EntryKind::guidedRun;
    case RunKind::backlash:
        return EntryKind::backlashTest;
    case RunKind::calibration:
        return EntryKind::rates;
    case RunKind::free:
        break;
    }
    return EntryKind::freeRun;
}

std::vector<Figure> figuresOfRun(const Run& run, const RunStory& story) {
    std::vector<Figure> list;
    const auto add = [&](const std::string& name, Measured m) {
        if (std::isfinite(m.value) && std::isfinite(m.sigma))
            list.push_back({name, m});
    };
    add("rows", {static_cast<double>(run.rows.size()), 0.0});
    if (!run.rows.empty())
        add("span_s", {run.rows.back().t_s - run.rows.front().t_s, 0.0});
    const MotionAnalysis& m = story.motion;
    if (story.backlash) {
        add("dec_backlash_arcsec", story.backlash->deadAngle_arcsec);
        add("dec_backlash_ms", story.backlash->deadTime_ms);
        return list;
    }
    if (const auto air = airOf(run, story))
        add("air_arcsec", *air);
    if (run.meta.kind == RunKind::guided) {
        if (story.guided) {
            const LoopFigures& f = story.guided->recorded;
            add("total_rms_arcsec", f.total_arcsec);
            add("ra_rms_arcsec", f.ra_arcsec);
            add("dec_rms_arcsec", f.dec_arcsec);
            add("mount_part_arcsec", f.mountPart_arcsec);
            add("bound_arcsec", {story.guided->bound.total_arcsec(), 0.0});
        } else {
            add("total_rms_arcsec", {m.summary.totalRms_arcsec, 0.0});
            add("ra_rms_arcsec", {m.summary.ra.rms_arcsec, 0.0});
            add("dec_rms_arcsec", {m.summary.dec.rms_arcsec, 0.0});
        }
        return list;
    }
    add("ra_drift_arcsec_min", m.ra.drift_arcsec_min);
    add("dec_drift_arcsec_min", m.dec.drift_arcsec_min);
    if (const auto& worm = m.ra.periodic.worm) {
        add("worm_peak_to_peak_arcsec", worm->peakToPeak_arcsec);
        add("worm_period_s", worm->period_s);
        for (const PeriodicLine& l : worm->harmonics)
            if (l.harmonic >= 1 && l.harmonic <= harmonicsKept) {
                add("worm_" + std::to_string(l.harmonic) + "_arcsec", l.amplitude_arcsec);
                // Only phases by the mount's own worm can be compared from run to run.
                if (l.harmonic == 1 && worm->byMount)
                    add("worm_1_phase_deg",
                        {Angle::fromRad(l.phase_rad).deg(),
                         Angle::fromRad(l.amplitude_arcsec.sigma / std::max(1e-6, l.amplitude_arcsec.value))
                             .deg()});
            }
    }
    return list;
}

void fillFromRun(LogEntry& entry, const Run& run, const RunSurroundings& around) {
    entry.figures = {{"rows", {static_cast<double>(run.rows.size()), 0.0}}};
    if (const auto story = tellRun(run, around)) {
        entry.figures = figuresOfRun(run, *story);
        entry.findings = story->findings;
    }
}

std::vector<Figure> figuresOfCalibration(const Calibration& r) {
    return {{"ra_rate_px_s", r.ra.rate_px_s},           {"dec_rate_px_s", r.dec.rate_px_s},
            {"ra_angle_deg", r.ra.angle_deg},           {"dec_angle_deg", r.dec.angle_deg},
            {"orthogonality_deg", r.orthogonality_deg}, {"dec_backlash_ms", r.decBacklash_ms}};
}

std::vector<Figure> figuresOfPole(const PoleError& e) {
    return {{"pole_total_arcmin", e.total_arcmin},
            {"pole_east_arcmin", e.east_arcmin},
            {"pole_high_arcmin", e.high_arcmin}};
}

std::vector<Figure> figuresOfFocus(const FocusResult& f) {
    std::vector<Figure> list{{"focus_hfd_px", f.hfd_px}, {"focus_best_steps", f.curve.best_steps}};
    if (f.backlash_steps)
        list.push_back({"focus_backlash_steps", *f.backlash_steps});
    if (f.temperature_c)
        list.push_back({"focus_temperature_c", {*f.temperature_c, 0.0}});
    return list;
}

std::vector<Figure> figuresOfCurve(const CorrectionCurve& curve) {
    return {{"curve_peak_to_peak_arcsec", {curve.peakToPeak_arcsec(), 0.0}},
            {"worm_period_s", {curve.wormPeriod_s, 0.0}}};
}

std::optional<PoleError> poleErrorFrom(const LogEntry& entry) {
    const auto east = entry.figure("pole_east_arcmin");
    const auto high = entry.figure("pole_high_arcmin");
    const auto total = entry.figure("pole_total_arcmin");
    if (!east || !high || !total)
        return std::nullopt;
    PoleError e{*east, *high, *total};
    e.covariance_arcmin2(0, 0) = east->sigma * east->sigma;
    e.covariance_arcmin2(1, 1) = high->sigma * high->sigma;
    return e;
}

std::vector<Figure> figuresOfSeries(const std::vector<SeriesFrame>& frames, const SeriesStory& story,
                                    double scale) {
    std::vector<Figure> list{{"frames", {static_cast<double>(frames.size()), 0.0}}};
    std::vector<double> width;
    std::vector<double> round;
    std::vector<double> rms;
    for (const SeriesFrame& f : frames) {
        if (f.look.shaped > 0) {
            width.push_back(f.look.fwhm_px.value * scale);
            round.push_back(f.look.elongation());
        }
        if (f.guide.looks > 0)
            rms.push_back(f.guide.total_arcsec());
    }
    const auto add = [&](const char* name, const std::vector<double>& values) {
        if (values.empty())
            return;
        const double n = static_cast<double>(values.size());
        // Of a median, whose ± one frame that was thrown about does not widen either.
        list.push_back({name, {median(values), 1.2533 * robustSigma(values) / std::sqrt(n)}});
    };
    add("fwhm_arcsec", width);
    add("elongation", round);
    add("total_rms_arcsec", rms);
    if (story.creep)
        list.push_back({"creep_arcsec_min", story.creep->speed_arcsec_min()});
    return list;
}

std::vector<SettingNote> changesIn(const Run& run) {
    std::vector<SettingNote> list;
    ControllerSettings now = run.meta.controller.value_or(ControllerSettings());
    double exposure_s = run.meta.loop ? run.meta.loop->exposure_s : 0.0;
    for (const RunRow& row : run.rows)
        for (const ChangedSetting& c : row.events.changedSettings()) {
            const bool exposes = c.key == SettingKey::exposure;
            list.push_back({run.meta.start + row.t_s, settingId(c.key),
                            exposes ? exposure_s : settingValue(now, c.key), c.value, "", ""});
            if (exposes)
                exposure_s = c.value;
            else
                setSetting(now, c.key, c.value);
        }
    return list;
}

} // namespace nordstjerna
