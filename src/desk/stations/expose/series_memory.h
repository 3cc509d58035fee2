// Remembers, on disk, the series that runs: whatever ends it before its time, it can be gone on with by one
// button.
#pragma once

#include "core/procedure/series.h"
#include "desk/evening/evening_store.h"

namespace nordstjerna {

class SeriesMemory {
public:
    explicit SeriesMemory(EveningStore& evening) : evening_(evening) {}

    // Of the last series, where it was broken off; null: there is nothing to go on with.
    const BrokenSeries* broken() const;
    void begin(const SeriesSetup& setup, const Evening::Fields& plan, const std::filesystem::path& folder,
               Instant now);
    // As far as it has come.
    void note(const SeriesEarlier& done, const std::optional<SolvedFrame>& solved, Instant now);
    // Nothing is left to be done.
    void finish();
    // What ended it.
    void breakOff(const Text& why);

private:
    EveningStore& evening_;
};

} // namespace nordstjerna
