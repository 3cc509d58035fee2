#include "core/image/noise_advice.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {

// How far apart two settings may be and still count as alike: by chance, and as a share of the noise.
struct Alike {
    double sigmas, share;
};

std::optional<NoiseAdvice> advise(const std::vector<NoiseAt>& at, std::optional<size_t> present,
                                  const std::vector<std::optional<Measured>>& noise, const Alike& alike,
                                  bool presentFirst) {
    std::optional<size_t> least;
    size_t known = 0;
    for (size_t i = 0; i < at.size(); ++i)
        if (noise[i]) {
            ++known;
            if (!least || noise[i]->value < noise[*least]->value)
                least = i;
        }
    if (known < 2)
        return std::nullopt;
    const Measured& m = *noise[*least];
    constexpr double most = 0.33; // what differs by more is not alike, however little is known
    const auto asGood = [&](size_t i) {
        if (!noise[i])
            return false;
        const double beyond = noise[i]->value - m.value;
        return beyond <= most * m.value &&
               beyond <= std::max(alike.sigmas * std::hypot(noise[i]->sigma, m.sigma), alike.share * m.value);
    };
    NoiseAdvice advice;
    advice.best = *least;
    if (presentFirst && present && asGood(*present) && at[*present].jitter->saturated == 0)
        advice.best = *present;
    else
        for (size_t i = 0; i < at.size(); ++i)
            if (asGood(i)) {
                advice.best = i;
                break;
            }
    const Measured& best = *noise[advice.best];
    if (present && noise[*present]) {
        const Measured& now = *noise[*present];
        advice.ratio.value = best.value / now.value;
        advice.ratio.sigma = advice.ratio.value * std::hypot(best.sigma / best.value, now.sigma / now.value);
        advice.clear = advice.best != *present && 1.0 - advice.ratio.value > 2.0 * advice.ratio.sigma;
    }
    return advice;
}

} // namespace

std::optional<NoiseAdvice> adviseGain(const std::vector<NoiseAt>& at, std::optional<size_t> present) {
    std::vector<std::optional<Measured>> noise;
    for (const NoiseAt& n : at)
        noise.push_back(n.jitter ? std::optional(n.jitter->group_px) : std::nullopt);
    auto advice = advise(at, present, noise, {2.0, 0.05}, true);
    if (!advice)
        return advice;
    const bool higher = std::any_of(noise.begin() + static_cast<std::ptrdiff_t>(advice->best) + 1,
                                    noise.end(), [](const auto& n) { return n.has_value(); });
    if (advice->best == present && !advice->clear)
        advice->why = Text::say("No other gain shows steadier stars beyond chance.");
    else
        advice->why =
            higher ? Text::say("Higher gains do not make the stars steadier, and they saturate sooner.")
                   : Text::say("The lower gains add more noise of the camera.");
    return advice;
}

std::optional<NoiseAdvice> adviseExposure(const std::vector<NoiseAt>& at, std::optional<size_t> present) {
    std::vector<std::optional<Measured>> noise;
    for (const NoiseAt& n : at)
        noise.push_back(n.jitter ? std::optional(n.minute_px) : std::nullopt);
    auto advice = advise(at, present, noise, {1.0, 0.10}, false);
    if (!advice)
        return advice;
    advice->why = advice->best == 0
                      ? Text::say("Longer exposures bring no steadier stars for the time they take.")
                      : Text::say("Shorter exposures lose to the camera's noise what they gain in number.");
    return advice;
}

} // namespace nordstjerna
