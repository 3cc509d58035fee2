#include "core/series/series_frame.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/statistics.h"

namespace nordstjerna {

const char* remarkWord(Remark remark) {
    switch (remark) {
    case Remark::none:
        return "";
    case Remark::track:
        return Text::mark("a track crosses it");
    case Remark::cloud:
        return Text::mark("cloud");
    case Remark::bump:
        return Text::mark("a jolt");
    case Remark::unguided:
        return Text::mark("not guided throughout");
    case Remark::unsettled:
        return Text::mark("begun before it had settled");
    case Remark::unsharp:
        break;
    }
    return Text::mark("less sharp");
}

int countedFrames(std::span<const SeriesFrame> frames) {
    return static_cast<int>(
        std::count_if(frames.begin(), frames.end(), [](const SeriesFrame& f) { return !f.filler; }));
}

Remark remarkOn(const SeriesFrame& f, const std::vector<SeriesFrame>& before) {
    std::vector<double> stars;
    std::vector<double> sky;
    std::vector<double> width;
    std::vector<double> peak;
    constexpr size_t memory = 20;
    for (size_t i = before.size() > memory ? before.size() - memory : 0; i < before.size(); ++i) {
        const SeriesFrame& b = before[i];
        if (b.exposure_s != f.exposure_s || b.filter != f.filter || b.remark == Remark::cloud)
            continue;
        stars.push_back(b.look.stars);
        sky.push_back(b.look.background_adu);
        if (b.look.fwhm_px.value > 0.0)
            width.push_back(b.look.fwhm_px.value);
        if (b.guide.steady)
            peak.push_back(b.guide.peak_arcsec);
    }
    if (!f.settled)
        return Remark::unsettled;
    if (f.guide.looks + f.guide.lost > 0 && f.guide.lost > std::max(1, f.guide.looks / 5))
        return Remark::unguided;
    constexpr size_t enough = 3;
    if (stars.size() >= enough) {
        if (f.look.stars < 0.6 * median(stars))
            return Remark::cloud;
        if (peak.size() >= enough && f.guide.peak_arcsec > 2.5 * median(peak) + 0.5)
            return Remark::bump;
    }
    // The stars themselves are lines on a target that moves.
    constexpr double line_arcsec = 5.0;
    if (f.look.tracks > 0 && std::hypot(f.streak.dra_arcsec, f.streak.ddec_arcsec) < line_arcsec)
        return Remark::track;
    if (width.size() >= enough && f.look.fwhm_px.value > 1.2 * median(width))
        return Remark::unsharp;
    return Remark::none;
}

double focusLoss(std::span<const SeriesFrame> frames) {
    constexpr size_t few = 5;
    std::map<std::string, std::vector<double>> byFilter;
    const auto counts = [](const SeriesFrame& f) {
        return f.look.fwhm_px.value > 0.0 && (f.remark == Remark::none || f.remark == Remark::unsharp);
    };
    for (const SeriesFrame& f : frames)
        if (counts(f))
            byFilter[f.filter].push_back(f.look.fwhm_px.value);
    std::map<std::string, double> usual;
    for (const auto& [filter, widths] : byFilter)
        usual[filter] = median(widths);
    std::vector<double> all;
    for (const SeriesFrame& f : frames)
        if (counts(f))
            all.push_back(f.look.fwhm_px.value / usual.at(f.filter));
    if (all.size() < 2 * few)
        return 0.0;
    const std::vector<double> last(all.end() - few, all.end());
    // The best stretch, not the luckiest frame.
    double best = 1e9;
    for (size_t i = 0; i + few <= all.size(); ++i)
        best = std::min(best, median({all.begin() + static_cast<std::ptrdiff_t>(i),
                                      all.begin() + static_cast<std::ptrdiff_t>(i + few)}));
    return std::max(0.0, median(last) / best - 1.0);
}

} // namespace nordstjerna
