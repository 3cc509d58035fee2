#include "core/findings/run_story.h"

#include <cmath>

#include "core/findings/guide_findings.h"

namespace nordstjerna {

namespace {

void addAll(std::vector<Finding>& list, const std::vector<Finding>& more) {
    list.insert(list.end(), more.begin(), more.end());
}

std::optional<DriftMeaning> meaningOf(const Run& run, const MotionAnalysis& m,
                                      const RunSurroundings& around) {
    if (!around.site || (run.meta.ra_deg == 0.0 && run.meta.dec_deg == 0.0))
        return std::nullopt;
    DriftWatch watch;
    watch.middle = run.meta.start + 0.5 * (m.clean.t_s.front() + m.clean.t_s.back());
    watch.star = vectorFrom(Equatorial{Angle::fromDeg(run.meta.ra_deg), Angle::fromDeg(run.meta.dec_deg)});
    watch.place = ObservedFrame(*around.site, watch.middle).hourAngleDec(watch.star);
    watch.dec_arcsec_min = m.dec.drift_arcsec_min;
    watch.length_s = m.span_s();
    return meaningOfDrift(watch, m.ra.drift_arcsec_min, *around.site, around.axis);
}

} // namespace

std::vector<Finding> findingsOf(const Run& run, const RunStory& story, const RunSurroundings& around) {
    std::vector<Finding> list;
    const MotionAnalysis& m = story.motion;
    if (story.backlash) {
        addAll(list, backlashFindings(*story.backlash));
        rank(list);
        return list;
    }
    addAll(list, recordingFindings(m.clean));
    addAll(list, periodicFindings(m.ra.periodic, m.span_s(), m.wormGiven_s, run.meta.imageScale_arcsec_px,
                                  around.shaftTurns, run.meta.kind == RunKind::guided));
    if (run.meta.kind == RunKind::free) {
        addAll(list, driftFindings(m, meaningOf(run, m, around)));
    } else {
        addAll(list, guideFindings(run, m.summary, story.guided ? &*story.guided : nullptr));
    }
    if (story.tune)
        addAll(list, settingsFindings(*story.tune, around.settings));
    rank(list);
    return list;
}

Expected<RunStory> tellRun(const Run& run, const RunSurroundings& around) {
    auto motion = analyseMotion(run, around.wormPeriod_s);
    if (!motion)
        return tl::unexpected(motion.error());
    RunStory story;
    story.motion = std::move(*motion);
    if (run.meta.kind == RunKind::backlash) {
        auto backlash = analyseBacklash(run);
        if (!backlash)
            return tl::unexpected(backlash.error());
        story.backlash = std::move(*backlash);
    }
    if (run.meta.kind == RunKind::free || run.meta.kind == RunKind::guided) {
        const SettingsBook own =
            run.meta.controller ? SettingsBook(*run.meta.controller, "run") : SettingsBook();
        if (auto proposal = tune(run, around.settings ? *around.settings : own, around.backlash))
            story.tune = std::move(*proposal);
    }
    if (run.meta.kind == RunKind::guided)
        if (auto budget = guidedBudget(run))
            story.guided = std::move(*budget);
    story.findings = findingsOf(run, story, around);
    return story;
}

} // namespace nordstjerna
