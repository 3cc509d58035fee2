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
    pair.azimuth.action = pair.azimuth.withinWanted
                              ? "Leave it"
                              : (pushLeft ? "Swing the polar axis left" : "Swing the polar axis right");
    pair.azimuth.detail = "axis points " + amount(east) + (east >= 0.0 ? " east" : " west") + " of the pole";
    pair.altitude.amount_arcmin = std::abs(high);
    pair.altitude.withinWanted = std::abs(high) <= share;
    pair.altitude.action = pair.altitude.withinWanted
                               ? "Leave it"
                               : (high > 0.0 ? "Lower the polar axis" : "Raise the polar axis");
    pair.altitude.detail = "axis points " + amount(high) + (high >= 0.0 ? " too high" : " too low");
    return pair;
}

} // namespace nordstjerna
