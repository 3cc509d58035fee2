#include "core/motion/random_sway.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <optional>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
struct Track {
    std::span<const double> t_s, ra_arcsec, dec_arcsec;
    double step_s = 0.0;
};

// Mean square of one moment over windows of this length, each begun in the middle of the one before.
std::optional<double> meanSquareMoment(const Track& track, double length_s) {
    constexpr int fewest = 4; // windows without a gap
    const std::span<const double> t = track.t_s;
    double sum = 0.0;
    int count = 0;
    for (size_t first = 0; first < t.size();) {
        size_t end = first;
        size_t half = first;
        Eigen::Vector2d all = Eigen::Vector2d::Zero();
        Eigen::Matrix2d squares = Eigen::Matrix2d::Zero();
        for (; end < t.size() && t[end] < t[first] + length_s; ++end) {
            const Eigen::Vector2d p(track.ra_arcsec[end], track.dec_arcsec[end]);
            all += p;
            squares += p * p.transpose();
            if (t[end] < t[first] + 0.5 * length_s)
                half = end;
        }
        const auto n = static_cast<double>(end - first);
        if (n > 0.8 * length_s / track.step_s) { // else there is a gap in it
            const Eigen::Matrix2d c = squares / n - all * all.transpose() / (n * n);
            sum += 0.5 * (std::pow(c(0, 0) - c(1, 1), 2) + 4.0 * c(0, 1) * c(0, 1));
            ++count;
        }
        first = half + 1;
    }
    return count < fewest ? std::nullopt : std::optional(sum / count);
}
} // namespace

std::vector<RandomSway> randomSway(std::span<const double> t, std::span<const double> ra,
                                   std::span<const double> dec, const FastNoise& fast) {
    std::vector<RandomSway> all;
    constexpr size_t fewest = 4; // samples in a window
    constexpr size_t windows = 8;
    const size_t rows = std::min({t.size(), ra.size(), dec.size()});
    if (rows < fewest * windows)
        return all;
    const Track track{t.first(rows), ra.first(rows), dec.first(rows), medianStep(t)};
    const double air2 = fast.air_arcsec * fast.air_arcsec;
    const double seen2 = air2 + fast.place_arcsec * fast.place_arcsec;
    const double longest_s = (t[rows - 1] - t[0]) / windows;
    for (double length = fewest * track.step_s; length <= longest_s; length *= 1.5) {
        const auto seen = meanSquareMoment(track, length);
        if (!seen)
            continue;
        // White noise of variance v makes either moment of n samples scatter by 2v / √n.
        const double n = length / track.step_s;
        const double least = 4.0 * air2 * air2 / n;
        const double square = std::max(least, *seen - 4.0 * seen2 * seen2 / n + least);
        if (square > 0.0)
            all.push_back({length, std::sqrt(square)});
    }
    return all;
}

double swayOver(const std::vector<RandomSway>& sway, double exposure_s) {
    if (sway.empty())
        return 0.0;
    const auto after = std::find_if(sway.begin(), sway.end(),
                                    [&](const RandomSway& w) { return w.exposure_s >= exposure_s; });
    if (after == sway.begin() || after == sway.end())
        return (after == sway.end() ? sway.back() : sway.front()).moment_arcsec2;
    const RandomSway& before = *std::prev(after);
    const double share =
        std::log(exposure_s / before.exposure_s) / std::log(after->exposure_s / before.exposure_s);
    return before.moment_arcsec2 * std::pow(after->moment_arcsec2 / before.moment_arcsec2, share);
}

} // namespace nordstjerna
