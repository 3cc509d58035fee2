#include "core/base/format.h"
#include "core/motion/loop_search.h"
#include "core/motion/other_exposure.h"
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
    MountTrack track = trackMount(d);
    std::optional<LoopBound> bound; // of other exposures
    Json result;
    Json recorded = figuresJson(recordedFigures(d, track), false);
    recorded["kind"] = runKindName(run->meta.kind);
    result["recorded"] = recorded;
    const auto wish = request.wishes.values.find(SettingKey::exposure);
    if (wish != request.wishes.values.end() && std::abs(wish->second - d.exposure_s) > 0.01) {
        if (wish->second < shortestShare * d.exposure_s)
            return problem(
                Text::say("The run cannot be replayed with that exposure."),
                Text::say("It was recorded with %1 s, too long to predict frames so short.")
                    .arg(formatNumber(d.exposure_s, 2)),
                Text::say("Give at least %1 s.").arg(formatNumber(shortestShare * d.exposure_s, 2)));
        OtherExposure other = withExposure(d, track, wish->second);
        if (other.disturbance.t_s.size() < 30)
            return problem(
                Text::say("The run is too short to replay with that exposure."),
                Text::say("%1 would be left.")
                    .arg(Text::say("%n frame|%n frames", "", static_cast<int>(other.disturbance.t_s.size()))),
                Text::say("Record for longer."));
        bound = loopBound(other);
        d = std::move(other.disturbance);
        track = std::move(other.track);
        result["frames"] = other.made ? "made" : "joined";
    }
    result["settings"] = settingsJson(settings.controller);
    if (!bound)
        bound = loopBound(d, track);
    const LoopFigures predicted = figuresOf(d, track, replayLoop(d, settings));
    bound->holdTo(predicted);
    result["predicted"] = figuresJson(predicted, true);
    result["judged_from_s"] = number(d.t_s[std::min(d.judgedFrom(), d.t_s.size() - 1)], 1);
    if (request.search) {
        const SearchResult found = searchSettings(d, settings);
        result["best"] = settingsJson(found.best.controller);
        const LoopFigures best = figuresOf(d, track, replayLoop(d, found.best));
        bound->holdTo(best);
        result["best_predicted"] = figuresJson(best, true);
        result["tried"] = found.tried;
    }
    result["bound_arcsec"] = boundJson(*bound);
    return result;
}

} // namespace nordstjerna
