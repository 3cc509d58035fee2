#include "tool/analysis_json.h"

namespace nordstjerna {

namespace {

Json periodicJson(const PeriodicResult& p) {
    Json lines = Json::array();
    for (const PeriodicLine& l : p.lines)
        lines.push_back({{"period_s", measured(l.period_s, 3)},
                         {"amplitude_arcsec", measured(l.amplitude_arcsec, 4)},
                         {"false_alarm", l.falseAlarm},
                         {"harmonic", l.harmonic}});
    return lines;
}

Json wormJson(const WormError& w) {
    Json harmonics = Json::array();
    for (const PeriodicLine& l : w.harmonics)
        harmonics.push_back({{"harmonic", l.harmonic},
                             {"amplitude_arcsec", measured(l.amplitude_arcsec, 4)},
                             {"false_alarm", l.falseAlarm}});
    return Json{{"period_s", measured(w.period_s, 3)},
                {"given", w.given},
                {"phase_of", w.byMount ? "mount" : "start"},
                {"cycles", number(w.cycles, 2)},
                {"peak_to_peak_arcsec", number(w.peakToPeak_arcsec.value, 4)},
                {"peak_to_peak_sigma_arcsec", number(w.peakToPeak_arcsec.sigma, 4)},
                {"rms_arcsec", number(w.rms_arcsec.value, 4)},
                {"rms_sigma_arcsec", number(w.rms_arcsec.sigma, 4)},
                {"max_rate_arcsec_s", number(w.maxRate_arcsec_s.value, 5)},
                {"max_rate_sigma_arcsec_s", number(w.maxRate_arcsec_s.sigma, 5)},
                {"harmonics", harmonics}};
}

Json axisJson(const AxisMotion& a) {
    Json j{{"drift_arcsec_min", measured(a.drift_arcsec_min, 4)},
           {"rms_arcsec", number(a.rms_arcsec, 4)},
           {"noise_arcsec", number(a.noise_arcsec.value, 4)},
           {"noise_sigma_arcsec", number(a.noise_arcsec.sigma, 4)}};
    if (a.centroid_arcsec.value > 0.0) {
        j["centroid_arcsec"] = measured(a.centroid_arcsec, 4);
        j["air_arcsec"] = measured(a.air_arcsec, 4);
    }
    return j;
}

Json budgetJson(const std::vector<BudgetShare>& budget) {
    Json list = Json::array();
    for (const BudgetShare& b : budget)
        list.push_back({{"cause", causeName(b.cause)},
                        {"share", number(b.share, 4)},
                        {"rms_arcsec", number(b.rms_arcsec, 4)}});
    return list;
}

Json leftOutJson(const CleanRun& clean) {
    Json list = Json::array();
    for (const LeftOut& l : clean.leftOut)
        list.push_back({{"from_s", number(l.from_s, 2)},
                        {"to_s", number(l.to_s, 2)},
                        {"rows", l.rows},
                        {"why", l.why.english()}});
    return list;
}

Json backlashJson(const BacklashResult& b) {
    Json returns = Json::array();
    for (const BacklashReturn& r : b.returns)
        returns.push_back({{"to", r.south ? "south" : "north"},
                           {"dead_ms", measured(r.deadTime_ms, 1)},
                           {"shape", backlashShapeName(r.shape)}});
    return Json{{"at_least", b.atLeast},
                {"dead_ms", measured(b.deadTime_ms, 1)},
                {"dead_arcsec", measured(b.deadAngle_arcsec, 3)},
                {"rate_arcsec_s", measured(b.rate_arcsec_s, 4)},
                {"shape", backlashShapeName(b.shape)},
                {"consistent", b.consistent()},
                {"returns", returns}};
}

} // namespace

Json analysisJson(const Run& run, const RunStory& story) {
    const MotionAnalysis& m = story.motion;
    Json result{{"kind", runKindName(run.meta.kind)},
                {"ra", axisJson(m.ra)},
                {"dec", axisJson(m.dec)},
                {"total_rms_arcsec", number(m.summary.totalRms_arcsec, 4)},
                {"rows_used", m.rowsUsed()},
                {"rows_left_out", m.clean.rowsLeftOut()},
                {"left_out", leftOutJson(m.clean)},
                {"jumps", m.clean.jumps_s.size()},
                {"span_s", number(m.span_s(), 1)}};
    if (run.meta.kind != RunKind::backlash) {
        result["periodic"] = periodicJson(m.ra.periodic);
        if (m.ra.periodic.worm)
            result["worm"] = wormJson(*m.ra.periodic.worm);
    }
    if (run.meta.kind == RunKind::free)
        result["budget"] = budgetJson(m.budget);
    if (story.guided) {
        const GuidedBudget& g = *story.guided;
        result["budget"] = budgetJson(g.shares);
        result["mount_part_arcsec"] = measured(g.recorded.mountPart_arcsec, 4);
        result["bound_arcsec"] = boundJson(g.bound);
    }
    if (story.backlash)
        result["backlash"] = backlashJson(*story.backlash);
    result["findings"] = findingsJson(story.findings);
    return result;
}

} // namespace nordstjerna
