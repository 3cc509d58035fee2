// The star index files that plate solving and the simulated sky share.
#pragma once

#include <filesystem>
#include <memory>
#include <vector>

#include "core/base/problem.h"
#include "core/sky/directions.h"

namespace nordstjerna {

struct CatalogueStar {
    Vec3 icrs;
    double magnitude = 10.0; // V
};

// Loads once, shares between threads. Files are memory-mapped.
class StarIndex {
public:
    // Every index-*.fits in the given folders. Fails when none is found or none can be read.
    static Expected<std::shared_ptr<StarIndex>> load(const std::vector<std::filesystem::path>& folders);
    // From the system's folder and from those in NORDSTJERNA_INDEX_PATH (colon-separated).
    static Expected<std::shared_ptr<StarIndex>> loadDefault();
    ~StarIndex();
    StarIndex(const StarIndex&) = delete;
    StarIndex& operator=(const StarIndex&) = delete;

    // All catalogue stars within the radius, each once, brightest first.
    std::vector<CatalogueStar> starsNear(const Vec3& icrs, Angle radius) const;

    struct Files;
    Files& files() const { return *files_; }

private:
    StarIndex();
    std::unique_ptr<Files> files_;
};

} // namespace nordstjerna
