// The rules of a series as moments of this night, and the plan that follows from them. The procedure and the
// plan ask the same rules, so that what is announced is what is done.
#pragma once

#include <vector>

#include "core/base/text.h"
#include "core/series/series_setup.h"

namespace nordstjerna {

struct SeriesMove {
    enum class Kind { wait, frame, flip, end } kind = Kind::end;
    double seconds = 0.0; // of waiting; of a frame: its exposure, where it is to be shorter than the others
    Text why;             // it waits, or ends
};

class SeriesRules {
public:
    // Fails when the series is senseless, or its target does not come up, or it would end before it begins.
    // night: around now.
    static Expected<SeriesRules> from(const SeriesSetup& setup, Instant now,
                                      const std::optional<Night>& night);
    static Expected<SeriesRules> from(const SeriesSetup& setup, Instant now) {
        return from(setup, now, nightAround(setup.rig.site, now));
    }

    // across: the telescope hangs on the other side already ("west").
    SeriesMove next(Instant now, bool across, int framesDone) const;

    Instant begins() const { return begins_; }
    Instant ends() const { return ends_; }
    const Text& endsBecause() const { return endsBecause_; }
    // How far the mount may follow past the meridian without the flip, and when it may come over.
    Instant limit() const { return limit_; }
    Instant mayFlip() const { return mayFlip_; }
    Instant mayFlipEarly() const { return mayFlipEarly_; }

private:
    double fillerBefore(Instant limit, Instant now, double exposure_s) const;
    SeriesSetup setup_;
    Instant begins_, ends_, meridian_, limit_, mayFlip_, mayFlipEarly_;
    Text beginsBecause_, endsBecause_;
};

enum class PlanKind { wait, begin, frame, dither, flip, filter };

struct PlanBlock {
    PlanKind kind;
    Instant from, to;
};

struct SeriesPlan {
    std::vector<PlanBlock> blocks;
    int frames = 0; // still to come
    double exposed_s = 0.0;
    int dithers = 0;
    Instant ends;
    Text endsBecause;
    std::optional<Instant> flip;
    double dithering_s = 0.0; // in all
};

// From now on, so many frames being done. running: it need not begin any more.
SeriesPlan planSeries(const SeriesSetup& setup, const SeriesRules& rules, Instant now, bool across,
                      int framesDone, bool running);

} // namespace nordstjerna
