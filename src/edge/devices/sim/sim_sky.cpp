#include "edge/devices/sim/sim_sky.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "core/base/random.h"

namespace nordstjerna {

namespace {
struct FillerLayer {
    double brightest, faintest; // magnitudes
    double perDeg2;
    double slope; // of the logarithm of the counts, a magnitude
    std::uint64_t seed;
};
// The mean sky has about 350 stars to magnitude 14 on a square degree and 1900 to 16 (Allen's Astrophysical
// Quantities, from memory), so their number grows by a factor of 2.6 and then of 2.3 a magnitude.
constexpr FillerLayer usualLayer{11.5, 14.0, 350.0, 0.42, 0};
constexpr FillerLayer deepLayer{14.0, 16.0, 1500.0, 0.36, 0x5eed};
constexpr double deepField_deg = 0.65; // radius up to which a field is deep: it holds few stars else

void addLayer(const FillerLayer& layer, const Vec3& icrs, Angle radius, std::vector<CatalogueStar>& stars) {
    constexpr double cell_deg = 0.5;
    const Equatorial centre = equatorialFrom(icrs);
    const int bandLow =
        std::max(0, static_cast<int>(std::floor((centre.dec.deg() - radius.deg() + 90.0) / cell_deg)));
    const int bandHigh =
        std::min(static_cast<int>(180.0 / cell_deg) - 1,
                 static_cast<int>(std::floor((centre.dec.deg() + radius.deg() + 90.0) / cell_deg)));
    const double cosRadius = cos(radius);
    for (int band = bandLow; band <= bandHigh; ++band) {
        const double decLow = -90.0 + band * cell_deg;
        const double middle = cos(Angle::fromDeg(decLow + 0.5 * cell_deg));
        const int cells = std::max(1, static_cast<int>(std::lround(360.0 * middle / cell_deg)));
        const double width_deg = 360.0 / cells;
        // Cells whose RA comes within reach; near the pole, all of them.
        const double reach_deg = std::min(180.0, radius.deg() / std::max(middle - 0.02, 1e-3) + width_deg);
        const int first = static_cast<int>(std::floor((centre.ra.deg() - reach_deg) / width_deg));
        const int last = std::min(first + cells - 1,
                                  static_cast<int>(std::floor((centre.ra.deg() + reach_deg) / width_deg)));
        for (int c = first; c <= last; ++c) {
            const int cell = ((c % cells) + cells) % cells;
            Random random(
                mixBits((static_cast<std::uint64_t>(band) * 100003ULL + static_cast<std::uint64_t>(cell)) ^
                        layer.seed));
            const double area = width_deg * middle * cell_deg;
            const int count = static_cast<int>(area * layer.perDeg2 + random.uniform());
            for (int i = 0; i < count; ++i) {
                const double ra = (cell + random.uniform()) * width_deg;
                const double dec = decLow + cell_deg * random.uniform();
                const double span = std::pow(10.0, layer.slope * (layer.faintest - layer.brightest));
                const double magnitude =
                    layer.brightest + std::log10(1.0 + random.uniform() * (span - 1.0)) / layer.slope;
                const Vec3 v = vectorFrom(Equatorial{Angle::fromDeg(ra), Angle::fromDeg(dec)});
                if (v.dot(icrs) > cosRadius)
                    stars.push_back({v, magnitude});
            }
        }
    }
}
} // namespace

std::vector<CatalogueStar> fillerStars(const Vec3& icrs, Angle radius) {
    std::vector<CatalogueStar> stars;
    addLayer(usualLayer, icrs, radius, stars);
    if (radius.deg() < deepField_deg)
        addLayer(deepLayer, icrs, radius, stars);
    return stars;
}

const std::vector<SimStar>& SimSky::starsNear(const Vec3& icrs, Angle radius) {
    if (centre_.norm() > 0.5 && separation(centre_, icrs) + radius <= radius_)
        return stars_;
    centre_ = icrs;
    radius_ = radius * 1.25;
    std::vector<CatalogueStar> all = index_->starsNear(icrs, radius_, series_);
    const auto faint = fillerStars(icrs, radius_);
    all.insert(all.end(), faint.begin(), faint.end());
    std::stable_sort(all.begin(), all.end(), [](const CatalogueStar& a, const CatalogueStar& b) {
        return a.magnitude < b.magnitude;
    });
    stars_.clear();
    for (const CatalogueStar& s : all)
        stars_.push_back({s.icrs, std::pow(10.0, -0.4 * s.magnitude),
                          static_cast<std::uint64_t>(std::llround((s.icrs.x() + 2.0) * 1e7)) * 40000003ULL +
                              static_cast<std::uint64_t>(std::llround((s.icrs.y() + 2.0) * 1e7))});
    return stars_;
}

} // namespace nordstjerna
