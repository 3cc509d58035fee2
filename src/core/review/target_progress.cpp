#include "core/review/target_progress.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
class Gatherer {
public:
    void add(const SeriesFrame& f, double scale_arcsec_px) {
        ++sum_.frames;
        sum_.exposed_s += f.exposure_s;
        ++sum_.flagged[static_cast<size_t>(f.remark)];
        if (f.remark != Remark::none)
            return;
        ++sum_.usable;
        sum_.usable_s += f.exposure_s;
        if (f.look.shaped > 0) {
            width_.push_back(f.look.fwhm_px.value * scale_arcsec_px);
            elongation_.push_back(f.look.elongation());
        }
        if (f.guide.looks > 0)
            rms_.push_back(f.guide.total_arcsec());
    }
    Gathered sum() const {
        Gathered g = sum_;
        const auto middle = [](const std::vector<double>& v) {
            return v.empty() ? std::nullopt : std::optional(median(v));
        };
        g.fwhm_arcsec = middle(width_);
        g.elongation = middle(elongation_);
        g.guideRms_arcsec = middle(rms_);
        return g;
    }

private:
    Gathered sum_;
    std::vector<double> width_, elongation_, rms_;
};

Measured paceOf(const std::vector<double>& ofNights_s) {
    constexpr size_t lastNights = 5;
    const size_t n = std::min(ofNights_s.size(), lastNights);
    const std::vector<double> last(ofNights_s.end() - static_cast<std::ptrdiff_t>(n), ofNights_s.end());
    const double pace = mean(last);
    if (n < 2)
        return {pace, pace};
    return {pace, standardDeviation(last) / std::sqrt(static_cast<double>(n))};
}
} // namespace

TargetProgress progressOf(const std::vector<SeriesOfTarget>& series) {
    std::map<std::pair<double, std::string>, Gatherer> nights;
    std::map<std::string, Gatherer> filters;
    std::map<double, double> usable_s; // of a night
    Gatherer all;
    for (const SeriesOfTarget& s : series)
        for (const SeriesFrame& f : s.frames) {
            nights[{s.night.unix_s, f.filter}].add(f, s.imageScale_arcsec_px);
            filters[f.filter].add(f, s.imageScale_arcsec_px);
            all.add(f, s.imageScale_arcsec_px);
            usable_s[s.night.unix_s] += f.remark == Remark::none ? f.exposure_s : 0.0;
        }
    TargetProgress p;
    for (const auto& [key, g] : nights)
        p.nights.push_back({{key.first}, key.second, g.sum()});
    for (const auto& [filter, g] : filters)
        p.filters.emplace_back(filter, g.sum());
    p.all = all.sum();
    std::vector<double> inOrder;
    for (const auto& [night, s] : usable_s)
        inOrder.push_back(s);
    if (!inOrder.empty())
        p.pace_s = paceOf(inOrder);
    return p;
}

std::optional<Measured> nightsToCome(const TargetProgress& progress, double wanted_s) {
    const double left_s = wanted_s - progress.all.usable_s;
    if (left_s <= 0.0)
        return Measured{};
    if (!progress.pace_s || progress.pace_s->value <= 0.0)
        return std::nullopt;
    const double nights = left_s / progress.pace_s->value;
    return Measured{nights, nights * progress.pace_s->sigma / progress.pace_s->value};
}

} // namespace nordstjerna
