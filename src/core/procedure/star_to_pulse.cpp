#include "core/procedure/star_to_pulse.h"

#include <algorithm>
#include <cmath>

#include "core/image/guide_star_choice.h"

namespace nordstjerna {

PulsePair pulsesThatMove(double step_arcsec, const GuideGeometry& geometry) {
    constexpr double longest_ms = 1500.0;
    const auto length_ms = [&](double rate_arcsec_s) {
        return std::min(longest_ms, 1000.0 * step_arcsec / std::max(std::abs(rate_arcsec_s), 1e-3));
    };
    return {length_ms(geometry.raRate_arcsec_s()), length_ms(geometry.decRate_arcsec_s())};
}

Expected<StarWatch> starsToPulse(const Frame& frame, double step_px, int steps) {
    ChoiceOptions options;
    options.edge_px = 40.0 + step_px * steps;
    const auto found = guideFieldOn(frame, options);
    if (!found)
        return tl::unexpected(found.error());
    return StarWatch(found->chosen, found->field.stars, 8.0 + 2.0 * step_px);
}

} // namespace nordstjerna
