#include "core/base/format.h"
#include "core/motion/loop_search.h"
#include "edge/store/run_table.h"
#include "tool/tool_commands.h"

namespace nordstjerna {

namespace {

Json figuresJson(const LoopFigures& f, bool sigmas) {
    const auto rms = [&](const Measured& m) { return sigmas ? measured(m, 4) : number(m.value, 4); };
    return Json{{"ra_arcsec", rms(f.ra_arcsec)},
                {"dec_arcsec", rms(f.dec_arcsec)},
                {"total_arcsec", rms(f.total_arcsec)},
                {"mount_part_arcsec", measured(f.mountPart_arcsec, 4)}};
}

} // namespace

Expected<Json> commandReplay(const ReplayRequest& request) {
    const Expected<Run> run = readRunTable(request.table);
    if (!run)
        return tl::unexpected(run.error());
    const auto rebuilt = rebuildDisturbance(*run);
    if (!rebuilt)
        return tl::unexpected(rebuilt.error());
    Disturbance d = *rebuilt;
    LoopSettings settings = d.settings;
    settings.controller = request.wishes.over(settings.controller);
    // A longer exposure takes frames together; a shorter one cannot be had from this record.
    if (const auto wish = request.wishes.values.find(SettingKey::exposure);
        wish != request.wishes.values.end()) {
        const int n = static_cast<int>(std::lround(wish->second / d.exposure_s));
        if (n < 1 || std::abs(wish->second / d.exposure_s - n) > 0.25)
            return problem("The run cannot be replayed with that exposure.",
                           "It was recorded with " + formatNumber(d.exposure_s, 2) +
                               " s; frames can be taken together, but not divided.",
                           "Give a multiple of it.");
        d = binned(d, n);
        if (d.t_s.size() < 30)
            return problem("The run is too short to replay with that exposure.",
                           std::to_string(d.t_s.size()) + " frames would be left.", "Record for longer.");
    }
    const MountTrack track = trackMount(d);
    Json result;
    Json recorded = figuresJson(recordedFigures(d, track), false);
    recorded["kind"] = runKindName(run->meta.kind);
    result["recorded"] = recorded;
    result["settings"] = settingsJson(settings.controller);
    result["predicted"] = figuresJson(figuresOf(d, track, replayLoop(d, settings)), true);
    result["bound_arcsec"] = boundJson(loopBound(d, track));
    result["judged_from_s"] = number(d.t_s[std::min(d.judgedFrom(), d.t_s.size() - 1)], 1);
    if (request.search) {
        const SearchResult found = searchSettings(d, settings);
        result["best"] = settingsJson(found.best.controller);
        result["best_predicted"] = figuresJson(figuresOf(d, track, replayLoop(d, found.best)), true);
        result["tried"] = found.tried;
    }
    return result;
}

} // namespace nordstjerna
