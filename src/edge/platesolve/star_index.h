// The star index files that plate solving and the simulated sky share.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/base/problem.h"
#include "core/sky/catalogue_star.h"

namespace nordstjerna {

// Loads once, shares between threads. Files are memory-mapped.
class StarIndex {
public:
    // Every index-*.fits in the given folders, or those of the named series alone. Fails when none is found
    // or none can be read.
    static Expected<std::shared_ptr<StarIndex>> load(const std::vector<std::filesystem::path>& folders,
                                                     const std::vector<std::string>& series = {});
    // From the system's folder, or from those in NORDSTJERNA_INDEX_PATH (colon-separated).
    static Expected<std::shared_ptr<StarIndex>> loadDefault(const std::vector<std::string>& series = {});
    ~StarIndex();
    StarIndex(const StarIndex&) = delete;
    StarIndex& operator=(const StarIndex&) = delete;

    // All catalogue stars within the radius, each once, brightest first. series: only of these files, named
    // without their endings ("index-tycho2-08"); empty: of all.
    std::vector<CatalogueStar> starsNear(const Vec3& icrs, Angle radius,
                                         const std::vector<std::string>& series = {}) const;
    // Diameter of the smallest figures in the files.
    double smallestFigure_arcmin() const;
    // Names of the files, those of the smallest figures first.
    std::vector<std::string> names() const;
    // Reads those of another folder, too, from now on; how many were new. Fails where there are none.
    Expected<int> add(const std::filesystem::path& folder);
    // Those of the named files that are not there.
    std::vector<std::string> missing(const std::vector<std::string>& series) const;

    struct Files;
    Files& files() const { return *files_; }

private:
    StarIndex();
    std::unique_ptr<Files> files_;
};

} // namespace nordstjerna
