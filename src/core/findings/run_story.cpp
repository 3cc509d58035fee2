#include "core/findings/run_story.h"

#include <cmath>

#include "core/base/format.h"
#include "core/base/parallel.h"
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

// Replaying a hundred thousand rows a dozen times would keep a person waiting, and settings are for the sky
// of the hours before: only the newest rows are replayed.
constexpr size_t mostReplayed = 20000;

Run newestRows(const Run& run) {
    Run last;
    last.meta = run.meta;
    last.rows.assign(run.rows.end() - static_cast<std::ptrdiff_t>(mostReplayed), run.rows.end());
    return last;
}

// Both replay the run, and neither needs the other.
void addReplayed(RunStory& story, const Run& run, const RunSurroundings& around) {
    const SettingsBook own = run.meta.controller ? SettingsBook(*run.meta.controller, "run") : SettingsBook();
    const SettingsBook& settings = around.settings ? *around.settings : own;
    shareOut(2, [&](size_t part, size_t parts) {
        if (part == 0)
            if (auto proposal = tune(run, settings, around.backlash))
                story.tune = std::move(*proposal);
        if (part + 1 == parts && run.meta.kind == RunKind::guided)
            if (auto budget = guidedBudget(run))
                story.guided = std::move(*budget);
    });
    story.replayedFrom_s = run.rows.front().t_s;
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
        if (m.flank)
            list.push_back(flankFinding(*m.flank));
    } else {
        addAll(list, guideFindings(run, m.summary, story.guided ? &*story.guided : nullptr));
    }
    if (story.replayedFrom_s > run.rows.front().t_s)
        list.push_back(
            {"long-run", Weight::know, Text::say("Causes and settings are judged on the last hours"),
             Text::say("This run has %1; it was replayed from %2 on. All other figures are of all rows.")
                 .arg(Text::say("%n row|%n rows", "", static_cast<int>(run.rows.size())))
                 .arg(formatDuration(story.replayedFrom_s)),
             ""});
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
    if (run.meta.kind == RunKind::free || run.meta.kind == RunKind::guided)
        addReplayed(story, run.rows.size() > mostReplayed ? newestRows(run) : run, around);
    story.findings = findingsOf(run, story, around);
    return story;
}

} // namespace nordstjerna
