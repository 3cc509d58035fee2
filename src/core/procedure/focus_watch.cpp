#include "core/procedure/focus_watch.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/focus/focus_look.h"

namespace nordstjerna {

FocusPoint focusPoint(const StarField& field, double t_s) {
    FocusPoint p;
    p.t_s = t_s;
    p.stars = static_cast<int>(field.stars.size());
    p.background_adu = field.background;
    std::vector<double> hfd;
    for (const Star& s : field.stars) {
        p.peak_adu = std::max(p.peak_adu, s.peak);
        if (!s.saturated && s.snr > 10.0)
            hfd.push_back(s.hfd);
    }
    if (!hfd.empty()) {
        p.hfd_px.value = median(hfd);
        // Efficiency of a median: 1.25 times the error of a mean.
        p.hfd_px.sigma = 1.2533 * robustSigma(hfd) / std::sqrt(static_cast<double>(hfd.size()));
    }
    return p;
}

Step FocusWatch::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (!begin_)
        begin_ = event.now;
    if (const auto* taken = std::get_if<FrameTaken>(&event.what)) {
        frame_ = taken->frame;
        auto field = detectStars(*frame_);
        if (!field)
            return FailStep{field.error()};
        field_ = std::move(*field);
        points_.push_back(focusPoint(field_, event.now - *begin_));
        // Wide discs are crumbs to those who look at single pixels.
        if (const FocusLook look = lookForFocus(*frame_, field_); look.bin > 1) {
            points_.back().hfd_px = look.hfd_px;
            points_.back().stars = look.stars;
        }
        if (camera_ == CameraRole::guide)
            unevenLight_ = nordstjerna::unevenLight(*frame_);
        if (mask_)
            read_ = readMask(*frame_);
    }
    return ExposeStep{exposure_s_, camera_};
}

int FocusWatch::best() const {
    int best = -1;
    for (size_t i = 0; i < points_.size(); ++i)
        if (points_[i].hfd_px.value > 0.0 &&
            (best < 0 || points_[i].hfd_px.value < points_[static_cast<size_t>(best)].hfd_px.value))
            best = static_cast<int>(i);
    return best;
}

Progress FocusWatch::progress() const {
    Progress p;
    p.fraction = -1.0;
    p.waitingFor = Text::say("frame %1, %2 s").arg(points_.size() + 1).arg(formatNumber(exposure_s_, 1));
    return p;
}

std::optional<double> frameToFrame(const std::vector<FocusPoint>& points) {
    constexpr size_t latest = 16;
    constexpr size_t fewest = 6;
    std::vector<double> sizes;
    for (size_t i = points.size() - std::min(points.size(), latest); i < points.size(); ++i)
        if (points[i].hfd_px.value > 0.0)
            sizes.push_back(points[i].hfd_px.value);
    if (sizes.size() < fewest)
        return std::nullopt;
    // Each against the middle of its neighbours, whose variance is half of its own.
    double sum = 0.0;
    for (size_t i = 1; i + 1 < sizes.size(); ++i)
        sum += std::pow(sizes[i] - 0.5 * (sizes[i - 1] + sizes[i + 1]), 2) / 1.5;
    return std::sqrt(sum / static_cast<double>(sizes.size() - 2));
}

} // namespace nordstjerna
