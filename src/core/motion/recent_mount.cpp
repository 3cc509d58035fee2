#include "core/motion/recent_mount.h"

#include <algorithm>

namespace nordstjerna {

namespace {
// As many rows before `end` as the track goes by.
std::vector<RunRow>::const_iterator trackBegins(const std::vector<RunRow>& rows,
                                                std::vector<RunRow>::const_iterator end) {
    constexpr std::ptrdiff_t most = 900;
    return end - std::min(most, end - rows.begin());
}
} // namespace

Run latestRows(const Run& run) {
    return {run.meta, {trackBegins(run.rows, run.rows.end()), run.rows.end()}};
}

Run latestRows(const Run& run, double from_s, double to_s) {
    const auto end = rowAt(run.rows, to_s);
    return {run.meta, {std::min(trackBegins(run.rows, end), rowAt(run.rows, from_s)), end}};
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

std::optional<Measured> exposureMountPart(const Run& run, const Disturbance& d, const MountTrack& track,
                                          double from_s, double to_s) {
    constexpr size_t fewest = 10;
    JudgedFrames frames;
    const auto from = std::lower_bound(d.t_s.begin(), d.t_s.end(), from_s);
    for (auto i = static_cast<size_t>(from - d.t_s.begin()); i < d.t_s.size() && d.t_s[i] < to_s; ++i)
        if (!run.rows[d.row[i]].events.aimMove()) // the aim moves as an exposure ends
            frames.add(d, track, i, d.recorded[i]);
    if (frames.t_s.size() < fewest)
        return std::nullopt;
    return figuresFrom(track, frames).mountPart_arcsec;
}

std::optional<Measured> exposureMountPart(const Run& latest, double from_s, double to_s) {
    const auto d = rebuildDisturbance(latest);
    return d ? exposureMountPart(latest, *d, trackMount(*d), from_s, to_s) : std::nullopt;
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
