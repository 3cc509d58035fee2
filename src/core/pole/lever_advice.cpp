#include "core/pole/lever_advice.h"

#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

LeverAdvicePair leverAdvice(const PoleError& error, const Site& site, double wanted_arcmin) {
    // Each lever may take its share of the wanted total.
    const double share = wanted_arcmin / std::sqrt(2.0);
    const double east = error.east_arcmin.value;
    const double high = error.high_arcmin.value;
    const auto amount = [](double v) { return formatNumber(std::abs(v), 1) + "′"; };
    LeverAdvicePair pair;
    pair.azimuth.amount_arcmin = std::abs(east);
    pair.azimuth.withinWanted = std::abs(east) <= share;
    // Looking north, east is on the right; looking south, on the left.
    const bool pushLeft = (east > 0.0) != site.southern();
    pair.azimuth.action = pair.azimuth.withinWanted ? Text::say("Leave it")
                                                    : (pushLeft ? Text::say("Swing the polar axis left")
                                                                : Text::say("Swing the polar axis right"));
    pair.azimuth.detail = (east >= 0.0 ? Text::say("axis points %1 east of the pole")
                                       : Text::say("axis points %1 west of the pole"))
                              .arg(amount(east));
    pair.altitude.amount_arcmin = std::abs(high);
    pair.altitude.withinWanted = std::abs(high) <= share;
    pair.altitude.action = pair.altitude.withinWanted ? Text::say("Leave it")
                                                      : (high > 0.0 ? Text::say("Lower the polar axis")
                                                                    : Text::say("Raise the polar axis"));
    pair.altitude.detail =
        (high >= 0.0 ? Text::say("axis points %1 too high") : Text::say("axis points %1 too low"))
            .arg(amount(high));
    return pair;
}

} // namespace nordstjerna
