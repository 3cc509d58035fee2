#include "edge/devices/devices.h"

#include "core/base/parallel.h"
#include "core/image/star_measure.h"

namespace nordstjerna {

TrackFunction trackByCamera(Camera& camera) {
    return [&camera](const TrackStep& step, const StopFlag& halt) -> Expected<StarsTracked> {
        auto windows = camera.exposeWindows(step.exposure_s, step.stars, halt);
        if (!windows)
            return tl::unexpected(windows.error());
        StarsTracked tracked;
        tracked.middle = windows->middle;
        for (size_t i = 0; i < step.stars.size(); ++i) {
            const ExpectedStar& e = step.stars[i];
            auto star = findAndMeasure(windows->frames[i], e.x, e.y, e.search_px);
            if (star && step.shape)
                star = step.shape->refine(windows->frames[i], *star);
            tracked.stars.push_back(star && star->snr >= 5.0 ? std::optional<Star>(*star) : std::nullopt);
        }
        return tracked;
    };
}

ImageFunction imageByCamera(Camera& camera) {
    return [&camera](const ImageStep& step, const StopFlag& halt) -> Expected<ImageTaken> {
        auto frame = camera.expose(step.exposure_s, halt);
        if (!frame)
            return tl::unexpected(frame.error());
        ImageTaken taken;
        taken.frame = *frame;
        taken.exposure_s = step.exposure_s;
        taken.start = (*frame)->info.start.value_or(Instant{});
        DetectOptions options;
        options.minSnr = 10.0;
        options.most = 1500;
        runAtLowPriority([&] {
            if (const auto field = detectStars(**frame, options))
                taken.look = lookAt(**frame, *field);
        });
        return taken;
    };
}

} // namespace nordstjerna
