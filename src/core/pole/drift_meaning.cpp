#include "core/pole/drift_meaning.h"

#include <cmath>

#include "core/base/format.h"
#include "core/rig/scales.h"

namespace nordstjerna {

DriftMeaning meaningOfDrift(const DriftWatch& dec, const Measured& ra, const Site& site,
                            const std::optional<AxisFit>& axis) {
    DriftMeaning m;
    m.component = componentOf(dec, site, PoleReference::refracted);
    const Vec3 at = axis ? axis->axis : elevatedPole(site, true);
    const auto raDrift = [&](const Vec3& a) {
        return predictedDrift(site, dec.middle, dec.star, a.normalized()).y();
    };
    const AxisBasis b = axisBasis(at);
    const double h = Angle::fromArcmin(0.5).rad();
    const Eigen::Vector2d perArcmin(raDrift(at + h * b.east) - raDrift(at - h * b.east),
                                    raDrift(at + h * b.up) - raDrift(at - h * b.up));
    m.raPerArcmin_arcsec_min = std::abs(perArcmin.dot(Eigen::Vector2d(-m.component.high, m.component.east)));
    m.axisKnown = axis.has_value();
    m.raFromPole_arcsec_min.value = raDrift(at);
    if (axis)
        m.raFromPole_arcsec_min.sigma =
            std::sqrt(std::max(0.0, (perArcmin.transpose() * axis->covariance * perArcmin).value())) / 60.0;
    m.tracking_arcsec_min = {ra.value - m.raFromPole_arcsec_min.value,
                             std::hypot(ra.sigma, m.raFromPole_arcsec_min.sigma)};
    // A mount that runs fast moves west, and the star to the east of where it was.
    const double perMinute = 60.0 * siderealRate_arcsec_s * std::max(0.05, cos(dec.place.dec));
    m.tracking_ppm = {1e6 * m.tracking_arcsec_min.value / perMinute,
                      1e6 * m.tracking_arcsec_min.sigma / perMinute};
    return m;
}

Text componentText(const DriftComponent& c) {
    const bool mostlyEast = std::abs(c.east) >= std::abs(c.high);
    const double share = std::abs(mostlyEast ? c.east : c.high);
    const std::string size = formatMeasured({std::abs(c.amount_arcmin.value), c.amount_arcmin.sigma}, "′", 2);
    const bool positive = c.amount_arcmin.value > 0.0;
    // Within some 4° of it the direction may go by its name: the other part then adds less than a tenth of
    // itself.
    if (share > 0.997)
        return (mostlyEast ? (positive ? Text::say("Here in the sky that is an axis %1 east.")
                                       : Text::say("Here in the sky that is an axis %1 west."))
                           : (positive ? Text::say("Here in the sky that is an axis %1 too high.")
                                       : Text::say("Here in the sky that is an axis %1 too low.")))
            .arg(size);
    const Text where =
        mostlyEast ? (positive ? Text::say("azimuth (to the east)") : Text::say("azimuth (to the west)"))
                   : (positive ? Text::say("altitude (too high)") : Text::say("altitude (too low)"));
    return Text::say("Here in the sky that is %1 of polar error, mostly in %2; the other component cannot be "
                     "seen from here.")
        .arg(size)
        .arg(where);
}

} // namespace nordstjerna
