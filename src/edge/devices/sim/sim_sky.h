// The stars of the simulated sky: the catalogue stars of the star index, and below their limit a faint
// filling that is the same on every machine.
#pragma once

#include <cstdint>

#include "edge/platesolve/star_index.h"

namespace nordstjerna {

struct SimStar {
    Vec3 icrs = Vec3::UnitX();
    double light = 0.0;   // of a star of magnitude 0
    std::uint64_t id = 0; // the same in every frame
};

class SimSky {
public:
    // series: the files it is drawn from.
    SimSky(std::shared_ptr<StarIndex> index, std::vector<std::string> series)
        : index_(std::move(index)), series_(std::move(series)) {}

    // Stars within the radius, brightest first. The last answer is kept and served again while it covers
    // the place asked for.
    const std::vector<SimStar>& starsNear(const Vec3& icrs, Angle radius);

private:
    std::shared_ptr<StarIndex> index_;
    std::vector<std::string> series_;
    Vec3 centre_ = Vec3::Zero();
    Angle radius_;
    std::vector<SimStar> stars_;
};

// Invented stars below the catalogue's limit, as many as an average sky has: from magnitude 11.5 to 14 some
// 350 a square degree, and in small fields, which look deeper, 1500 more down to 16.
std::vector<CatalogueStar> fillerStars(const Vec3& icrs, Angle radius);

} // namespace nordstjerna
