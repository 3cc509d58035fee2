// What a person wants of a series: target, frames, when it begins and ends, dithering, the flip.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/focus/filter_offsets.h"
#include "core/guide/guide_loop.h"
#include "core/rig/rig.h"
#include "core/series/aim_wish.h"
#include "core/series/dither_pattern.h"
#include "core/sky/almanac.h"
#include "core/sky/civil_time.h"

namespace nordstjerna {

enum class Twilight { civil, nautical, astronomical };
const char* twilightName(Twilight t);

// Several may stand together: it begins when all are met.
struct SeriesStart {
    std::optional<Instant> at;
    std::optional<Twilight> dusk;
    double altitude_deg = 0.0; // of the target; 0: as soon as it stands above the horizon profile
};

// Several may stand together: the first that comes ends it. The horizon profile always does.
struct SeriesEnds {
    int frames = 0; // 0: as many as fit
    std::optional<Instant> at;
    std::optional<Twilight> dawn;
    double altitude_deg = 0.0; // 0: down to the horizon profile
};

struct DitherWish {
    int every = 3; // frames; 0: never
    double size_px = 10.0;
    DitherKind kind = DitherKind::evenCover;
    bool raOnly = false;
    // Settling: within so many imaging pixels for so long, else after the time-out on it goes.
    double within_px = 0.0; // 0: as the loop's own RMS allows
    double for_s = 8.0;
    double timeout_s = 60.0;
};

struct FlipWish {
    bool allowed = true;
    double past_min = 2.0; // never at the meridian itself: a clock half a minute wrong decides the side
    bool pauseBefore = false, pauseAfter = false; // to look after the cables
    // Where the next frame would not end before the limit: come over before the meridian, not wait for it.
    // For mounts that may be told on which side to hang.
    bool early = false;
    // Where the next frame would not end before the limit, a shorter one is taken while the meridian is
    // waited for. It does not count as one of the frames wanted.
    bool fill = false;
};

struct RefocusWish {
    double grown = 0.08;   // share of the best FWHM by which stars may grow before it is told
    bool byItself = false; // a focus run then, between two frames; needs a motor on the imaging camera
};

// So many frames through one filter, then the next has its turn; after the last the first again.
struct FilterTurn {
    std::string filter; // as the rig names it
    int frames = 1;
    double exposure_s = 0.0; // 0: as the series
};

// What becomes of the focus when the filter is changed.
enum class AtFilterChange {
    offset,   // the focuser moves by the offset; where that is not known a focus run finds it
    focusRun, // each time
    nothing
};

struct FilterWish {
    AtFilterChange focus = AtFilterChange::offset;
    bool wheel = false;            // turns them; else a person is asked to
    std::vector<FocusedOnce> runs; // of the imaging camera, which tell by what the filters differ
};

// The cooler of the imaging camera, where there is one.
struct CoolerWish {
    std::optional<double> to_c; // before the first frame; absent: it is left as it is
    bool warmAfterwards = false;
};

// What a part of the series that was broken off has done already.
struct SeriesEarlier {
    int frames = 0;  // that count
    int number = 0;  // of the last one
    int dithers = 0; // places of the pattern that were used
};

// What becomes of the mount when the series has ended, was stopped or failed for good.
enum class MountAfter { stopTracking, keepTracking, park };

struct SeriesSetup {
    Rig rig;
    std::string targetName;
    Vec3 target = Vec3::UnitX(); // ICRS
    CivilTime zone;              // of the clock that messages speak by
    double exposure_s = 180.0;
    SeriesStart start;
    SeriesEnds ends;
    DitherWish dither;
    AimWish aim;
    FlipWish flip;
    RefocusWish refocus;
    std::vector<FilterTurn> turns; // empty: no filter is changed
    FilterWish filters;
    CoolerWish cooler;
    bool motor = false; // moves the focus of the imaging camera
    MountAfter afterwards = MountAfter::stopTracking;
    bool followed = false; // another target comes after a good end: the mount goes on tracking until then
    bool centre = true;    // first
    bool guided = true;    // false: short exposures without corrections; dithers are small slews
    bool guiding = false;  // the loop runs as it begins: it is let go only if the telescope must move
    double tolerance_arcsec = 60.0;
    std::uint64_t seed = 1; // of a random pattern
    SeriesEarlier earlier;
    // What it costs, for the plan: as measured so far tonight.
    double betweenFrames_s = 3.0;
    double settling_s = 20.0;
    double flipping_s = 150.0;
    double focusing_s = 240.0;
    double beginning_s = 90.0;
    double changing_s = 15.0; // of the filter
};

// The first thing that makes it senseless, if any.
Expected<void> validateSeries(const SeriesSetup& setup);

// Where its target stands.
Vec3 targetAt(const SeriesSetup& setup, Instant t);

// Its settle rule on the sky.
SettleRule settleRule(const SeriesSetup& setup);

} // namespace nordstjerna
