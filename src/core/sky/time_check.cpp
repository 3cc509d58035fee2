#include "core/sky/time_check.h"

#include <cmath>

#include "core/base/format.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

namespace {
constexpr double tolerated_h = 120.0 / 3600.0;

// A day has 24 hours: a difference of 23 h is one of −1 h.
double wrapped_h(double hours) {
    return hours - 24.0 * std::round(hours / 24.0);
}

TimeDispute::Suspect suspectFor(const Site& site, double ahead_h, double slack_h) {
    const double longitude_h = site.longitude.wrappedSigned().hours();
    const bool far = std::abs(longitude_h) > 2.0 * slack_h;
    if (far && std::abs(wrapped_h(ahead_h + 2.0 * longitude_h)) < slack_h)
        return TimeDispute::Suspect::longitudeSign;
    const double whole = std::round(ahead_h);
    if (whole != 0.0 && std::abs(ahead_h - whole) < slack_h)
        return TimeDispute::Suspect::wholeHours;
    return TimeDispute::Suspect::unknown;
}
} // namespace

double siderealAhead_h(const Site& site, Instant now, Angle mountSiderealTime) {
    return (mountSiderealTime - ObservedFrame(site, now).siderealTime()).wrappedSigned().hours();
}

std::optional<TimeDispute> disputeOver(const Site& site, double ahead_h) {
    TimeDispute d;
    d.mountAhead_h = ahead_h;
    if (std::abs(d.mountAhead_h) <= tolerated_h)
        return std::nullopt;
    d.suspect = suspectFor(site, d.mountAhead_h, 0.07);
    return d;
}

std::optional<TimeDispute> disputeOver(const Site& site, const HourAngleDec& seen,
                                       const HourAngleDec& believed) {
    const double off_deg = (believed.hourAngle - seen.hourAngle).wrappedSigned().deg();
    constexpr double polar_deg = 75.0, decTolerance_deg = 3.0, skyTolerance_deg = 4.0;
    if (std::abs(seen.dec.deg()) > polar_deg ||
        std::abs((believed.dec - seen.dec).deg()) > decTolerance_deg ||
        std::abs(off_deg) * cos(seen.dec) < skyTolerance_deg)
        return std::nullopt;
    TimeDispute d;
    d.byStars = true;
    d.mountAhead_h = off_deg / 15.0;
    d.suspect = suspectFor(site, d.mountAhead_h, 0.2); // the axes have errors of their own
    return d;
}

Problem TimeDispute::problem(const Site& site) const {
    Problem p;
    const double minutes = std::abs(mountAhead_h) * 60.0;
    p.what = (byStars ? Text::say("The stars and the mount disagree about the hour angle by %1° (%2).")
                      : Text::say("The mount and this program disagree about the hour angle by %1° (%2)."))
                 .arg(formatNumber(mountAhead_h * 15.0, 1))
                 .arg(minutes < 90.0 ? formatNumber(minutes, 0) + " min"
                                     : Text::say("%1 h").arg(formatNumber(minutes / 60.0, 2)));
    const Text longitude =
        (site.longitude.wrappedSigned().rad() < 0.0 ? Text::say("%1° west") : Text::say("%1° east"))
            .arg(formatNumber(std::abs(site.longitude.wrappedSigned().deg()), 2));
    switch (suspect) {
    case Suspect::longitudeSign:
        p.why = Text::say("The difference is twice the longitude: most likely the longitude in Rig, %1, has "
                          "the wrong sign.")
                    .arg(longitude);
        p.remedy = Text::say("Check the site in Rig. East is positive.");
        break;
    case Suspect::wholeHours:
        p.why = Text::say(
            "The difference is a whole number of hours: most likely a clock is set to another time zone or "
            "to summer time. The computer's clock is usually right; the mount's is set by hand.");
        p.remedy = Text::say("Check date, time and zone in the mount's hand control, then on this computer.");
        break;
    default:
        p.why = byStars
                    ? Text::say("Either the mount has not been synced, or the longitude in Rig (%1) or a "
                                "clock is wrong. The mount is the likelier one if it was just switched on.")
                          .arg(longitude)
                    : Text::say("The longitude in Rig (%1) or that in the mount is wrong, or a clock is.")
                          .arg(longitude);
        p.remedy = Text::say("Check the site in Rig and in the mount, and both clocks.");
    }
    p.remedy += Text::say("Until then nothing slews, because the meridian and its limits cannot be trusted.");
    return p;
}

} // namespace nordstjerna
