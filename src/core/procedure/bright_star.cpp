#include "core/procedure/bright_star.h"

#include <algorithm>

#include "core/sky/local_place.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

std::optional<BrightStar> nearestBrightStar(const ObjectCatalogue& catalogue, const Rig& rig,
                                            const MountState& mount, Instant now, double faintest) {
    constexpr double lowest_deg = 25.0, margin_deg = 2.0;
    constexpr double clear_h = 0.1; // of the meridian, where a mount would choose its side
    const ObservedFrame frame(rig.site, now);
    const Vec3 here = directionOf(rig.site, mount.pointing);
    const bool east = mount.side != "west";
    std::optional<BrightStar> best;
    for (const SkyObject& o : catalogue.all()) {
        if (o.magnitude > faintest || (o.kind != "star" && o.kind != "double star"))
            continue;
        const HourAngleDec place = frame.hourAngleDec(vectorFrom(o.place));
        const double h = place.hourAngle.wrappedSigned().hours();
        if (east ? h > -clear_h : h < clear_h)
            continue;
        const Vec3 there = directionOf(rig.site, place);
        const AltAz at = altAzFrom(there);
        if (at.altitude.deg() < std::max(lowest_deg, rig.mount.lowestAltitude.deg() + margin_deg) ||
            !rig.horizon.clears(at, Angle::fromDeg(margin_deg)))
            continue;
        const Angle away = separation(here, there);
        if (!best || away.rad() < best->away.rad())
            best = BrightStar{&o, place, away, at.altitude.deg()};
    }
    return best;
}

} // namespace nordstjerna
