#include "desk/stations/expose/series_memory.h"

namespace nordstjerna {

const BrokenSeries* SeriesMemory::broken() const {
    const auto& kept = evening_.evening().broken;
    return kept ? &*kept : nullptr;
}

void SeriesMemory::begin(const SeriesSetup& setup, const Evening::Fields& plan,
                         const std::filesystem::path& folder, Instant now) {
    BrokenSeries b;
    b.targetName = setup.targetName;
    b.target = equatorialFrom(setup.target);
    b.motion = setup.aim.target;
    b.opticsId = setup.rig.opticsId;
    b.plan = plan;
    b.folder = folder.string();
    b.seed = setup.seed;
    b.done = setup.earlier;
    b.last = now;
    if (const BrokenSeries* before = broken(); before && setup.earlier.number > 0)
        b.roll_deg = before->roll_deg;
    evening_.edit([&](Evening& e) { e.broken = b; });
}

void SeriesMemory::note(const SeriesEarlier& done, const std::optional<SolvedFrame>& solved, Instant now) {
    evening_.edit([&](Evening& e) {
        if (!e.broken)
            return;
        e.broken->done = done;
        e.broken->last = now;
        if (solved)
            e.broken->roll_deg = solved->plane.roll().deg();
    });
}

void SeriesMemory::finish() {
    evening_.edit([](Evening& e) { e.broken.reset(); });
}

void SeriesMemory::breakOff(const Text& why) {
    evening_.edit([&](Evening& e) {
        if (e.broken)
            e.broken->why = why.english();
    });
}

} // namespace nordstjerna
