#include "core/findings/time_findings.h"

#include <cmath>

#include "core/base/format.h"
#include "core/rig/scales.h"

namespace nordstjerna {

namespace {
constexpr double tolerated_s = 2.0;
} // namespace

std::vector<Finding> clockFindings(const std::optional<Measured>& ahead, std::optional<bool> networkSet) {
    std::vector<Finding> list;
    if (ahead && std::abs(ahead->value) > tolerated_s + 2.0 * ahead->sigma) {
        const double off_s = std::abs(ahead->value);
        list.push_back(
            {"mount-clock", Weight::look,
             (ahead->value > 0.0 ? Text::say("The mount's clock is %1 ahead of the computer's")
                                 : Text::say("The mount's clock is %1 behind the computer's"))
                 .arg(formatMeasured({off_s, ahead->sigma}, " s", 1)),
             Text::say(
                 "The sky turns by 15″ a second: where the mount has not been synced, it points %1′ wrong in "
                 "RA. For the mount the meridian passes %2 s %3 than for this program.")
                 .arg(formatNumber(siderealRate_arcsec_s * off_s / 60.0, 1))
                 .arg(formatNumber(off_s, 0))
                 .arg(ahead->value > 0.0 ? Text::say("earlier") : Text::say("later")),
             networkSet == false
                 ? Text::say(
                       "Set the computer's clock first: it is not kept by a time server. Then the mount's.")
                 : Text::say(
                       "Set the mount's clock, or sync it on a solved field. Guiding is not touched.")});
    }
    if (networkSet == false)
        list.push_back(
            {"computer-clock", Weight::look, Text::say("No time server keeps the computer's clock"),
             Text::say("Nobody knows how far it is off. A second is 15″ in every hour angle: of the "
                       "pole star at the reticle, of the meridian, of an unsynced slew."),
             Text::say("Connect the computer to a network once before the night, or to a satellite "
                       "receiver that sets its clock.")});
    return list;
}

} // namespace nordstjerna
