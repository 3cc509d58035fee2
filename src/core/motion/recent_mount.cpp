#include "core/motion/recent_mount.h"

#include <algorithm>

namespace nordstjerna {

Run latestRows(const Run& run) {
    constexpr size_t most = 900;
    Run latest;
    latest.meta = run.meta;
    latest.rows.assign(run.rows.end() - static_cast<std::ptrdiff_t>(std::min(most, run.rows.size())),
                       run.rows.end());
    return latest;
}

std::optional<RecentMount> recentMount(const Run& latest, double window_s) {
    const auto d = rebuildDisturbance(latest);
    if (!d)
        return std::nullopt;
    return recentMount(*d, trackMount(*d), latest.rows.back().t_s, window_s);
}

std::optional<RecentMount> recentMount(const Disturbance& d, const MountTrack& track, double until_s,
                                       double window_s) {
    constexpr size_t fewest = 20;
    const auto from = std::lower_bound(d.t_s.begin(), d.t_s.end(), until_s - window_s);
    const JudgedFrames frames = judgedFrames(d, track, static_cast<size_t>(from - d.t_s.begin()));
    if (frames.t_s.size() < fewest)
        return std::nullopt;
    return RecentMount{until_s, figuresFrom(track, frames).mountPart_arcsec};
}

std::optional<MountPartNow> mountPartNow(const std::optional<RecentMount>& recent,
                                         const std::vector<RunRow>& rows,
                                         const std::vector<RowBelief>& beliefs, double window_s) {
    constexpr double present_s = 2.0 * recentEvery_s;
    if (recent && !rows.empty() && rows.back().t_s - recent->until_s <= present_s)
        return MountPartNow{recent->mountPart_arcsec, MountPartKind::recent};
    const auto live = liveMountPart(rows, beliefs, window_s);
    return live ? std::optional(MountPartNow{*live, MountPartKind::live}) : std::nullopt;
}

} // namespace nordstjerna
