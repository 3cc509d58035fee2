#include "core/image/star_match.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
constexpr size_t mostSeen = 150;

std::vector<Star> brightest(std::vector<Star> stars, size_t most) {
    std::sort(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return a.flux > b.flux; });
    stars.resize(std::min(stars.size(), most));
    return stars;
}

// The seen star nearest to a place, within the tolerance.
const Star* nearest(const std::vector<Star>& seen, double x, double y, double tolerance) {
    const Star* best = nullptr;
    double least = tolerance * tolerance;
    for (const Star& s : seen) {
        const double dx = s.x - x;
        const double dy = s.y - y;
        const double d2 = dx * dx + dy * dy;
        if (d2 < least) {
            least = d2;
            best = &s;
        }
    }
    return best;
}
} // namespace

std::optional<FieldJump> findJump(const std::vector<Star>& home, const std::vector<Star>& seen,
                                  double tolerance_px) {
    if (home.empty() || seen.empty())
        return std::nullopt;
    const std::vector<Star> bright = brightest(seen, mostSeen);
    const Star& lead = *std::max_element(home.begin(), home.end(),
                                         [](const Star& a, const Star& b) { return a.flux < b.flux; });
    std::optional<FieldJump> best;
    double bestScatter = 1e300;
    for (const Star& candidate : bright) {
        const double dx = candidate.x - lead.x;
        const double dy = candidate.y - lead.y;
        std::vector<double> ratios;
        double sx = 0.0;
        double sy = 0.0;
        for (const Star& h : home)
            if (const Star* s = nearest(bright, h.x + dx, h.y + dy, tolerance_px)) {
                ratios.push_back(std::log(s->flux / h.flux));
                sx += s->x - h.x;
                sy += s->y - h.y;
            }
        const auto matched = static_cast<int>(ratios.size());
        if (3 * matched < 2 * static_cast<int>(home.size()))
            continue;
        const double common = median(ratios);
        double scatter = 0.0;
        for (double r : ratios)
            scatter = std::max(scatter, std::abs(r - common));
        // A cloud dims all alike; another field does not.
        if (home.size() == 1 ? std::abs(common) > std::log(2.0) : scatter > std::log(2.5))
            continue;
        const double rank = home.size() == 1 ? std::abs(common) : scatter;
        if (!best || matched > best->matched || (matched == best->matched && rank < bestScatter)) {
            best = FieldJump{sx / matched, sy / matched, matched};
            bestScatter = rank;
        }
    }
    return best;
}

std::optional<FieldJump> findPattern(const std::vector<Star>& pattern, const std::vector<Star>& seen,
                                     double area_px2, double tolerance_px) {
    constexpr size_t leads = 15;
    constexpr size_t most = 60;
    constexpr int leastMatches = 3;
    const std::vector<Star> home = brightest(pattern, most);
    const std::vector<Star> now = brightest(seen, most);
    if (home.size() < leastMatches || now.size() < leastMatches)
        return std::nullopt;
    const double byChance = static_cast<double>(home.size()) * static_cast<double>(now.size()) *
                            std::numbers::pi * tolerance_px * tolerance_px / std::max(area_px2, 1.0);
    const double share = 0.3 * static_cast<double>(std::min(home.size(), now.size()));
    std::optional<FieldJump> best;
    for (size_t h = 0; h < std::min(home.size(), leads); ++h)
        for (const Star& candidate : now) {
            const double dx = candidate.x - home[h].x;
            const double dy = candidate.y - home[h].y;
            std::vector<double> ratios;
            std::vector<double> xs;
            std::vector<double> ys;
            for (const Star& p : home)
                if (const Star* s = nearest(now, p.x + dx, p.y + dy, tolerance_px)) {
                    ratios.push_back(std::log(s->flux / p.flux));
                    xs.push_back(s->x - p.x);
                    ys.push_back(s->y - p.y);
                }
            const auto matched = static_cast<int>(ratios.size());
            if (matched < leastMatches || matched < share || matched < 3.0 + 4.0 * byChance ||
                (best && matched <= best->matched) || robustSigma(ratios) > std::log(1.8))
                continue;
            best = FieldJump{median(xs), median(ys), matched};
        }
    return best;
}

} // namespace nordstjerna
