// The mount part of the latest minutes of a run that goes on, or of one imaging exposure. What the loop
// believed at the time is ready at once, but it took slow air for the mount's motion and followed it: under
// such air the figure is a seventh too small, of an exposure a fifth. The smoother looks at the last half
// hour or so, before and after each frame, and asks what air it was. That costs a tenth of a second or two,
// and is done beside guiding: now and then, and at the end of each exposure.
#pragma once

#include <optional>

#include "core/motion/mount_part.h"
#include "core/motion/mount_track.h"

namespace nordstjerna {

struct RecentMount {
    double until_s = 0.0; // time of the run's last row
    Measured mountPart_arcsec;
};

// The rows that it goes by: the last nine hundred.
Run latestRows(const Run& run);
// Of an exposure, from and to by the run's time: the last nine hundred until its end, or all since it began
// if they are more.
Run latestRows(const Run& run, double from_s, double to_s);

// Over the last `window_s` seconds. Nothing where fewer than 20 frames of them count, or the run is too
// short.
std::optional<RecentMount> recentMount(const Run& latest, double window_s);
// The same of a disturbance and its track.
std::optional<RecentMount> recentMount(const Disturbance& d, const MountTrack& track, double until_s,
                                       double window_s);

// While one frame was exposed, from and to by the run's time: over all frames measured meanwhile, steady or
// not, as the exposure's RMS. Nothing with fewer than 10 of them. d: of this run.
std::optional<Measured> exposureMountPart(const Run& run, const Disturbance& d, const MountTrack& track,
                                          double from_s, double to_s);
// The same by the latest rows. Nothing where they are too few for a track, either.
std::optional<Measured> exposureMountPart(const Run& latest, double from_s, double to_s);

constexpr double recentEvery_s = 120.0; // it is worked out anew that often

// What is to be shown: the latest of these while it still speaks of the present, else by beliefs.
struct MountPartNow {
    Measured arcsec;
    MountPartKind kind = MountPartKind::live;
};
std::optional<MountPartNow> mountPartNow(const std::optional<RecentMount>& recent,
                                         const std::vector<RunRow>& rows,
                                         const std::vector<RowBelief>& beliefs, double window_s);

} // namespace nordstjerna
