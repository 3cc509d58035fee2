// What a device server offers: each device, what it can be used for, and what it can do.
#pragma once

#include "edge/devices/wire/wire_kinds.h"
#include "edge/devices/wire/wire_link.h"

namespace nordstjerna {

enum class WireAbility {
    slews,
    syncs,
    setsTracking,
    ownCalibration, // tracks RA at a rate it is told
    pulses,         // takes timed guide pulses
    tellsPierSide,
    parks,
    findsHome,
    bins,
    subframes,
    cools,
    setsGain,
    absolute,  // a focuser that knows where it stands
    tellsHeat, // a temperature
};

struct WireOffer {
    std::string device;
    std::string driver;
    bool connected = false; // only then its abilities and figures are known
    std::vector<WireRole> roles;
    std::vector<WireAbility> abilities;
    // Figures that it tells, 0 where it does not.
    int width = 0, height = 0; // px
    double pixel_um = 0.0;
    int bits = 0;
    double guideRateRa = 0.0, guideRateDec = 0.0; // fractions of the sidereal rate
    std::vector<std::string> filters;

    bool fits(WireRole role) const;
};

// What is known now; a server tells it within a second or so.
std::vector<WireOffer> offersOf(const WireLink& link);
// Asks the drivers of those that are of use to connect their hardware.
void greetAll(WireLink& link);
// Waits until the server has said what it has: until nothing new came for a moment. False: it did not answer
// in time.
bool awaitOffers(const WireLink& link, double patience_s);

// A stable word, for files and commands.
const char* wireAbilityKey(WireAbility ability);

} // namespace nordstjerna
