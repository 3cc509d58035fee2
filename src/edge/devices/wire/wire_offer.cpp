#include "edge/devices/wire/wire_offer.h"

#include <algorithm>
#include <cmath>

#include "core/base/number_text.h"
#include "edge/devices/wire/wire_device.h"
#include "edge/devices/wire/wire_focuser.h"
#include "edge/devices/wire/wire_names.h"
#include "edge/devices/wire/wire_wheel.h"

namespace nordstjerna {

namespace {

using Vectors = std::map<std::string, WireLink::Told>;

struct AbilitySign {
    WireAbility ability;
    const char* vector;
};
constexpr AbilitySign abilitySigns[] = {{WireAbility::slews, wire::coordinates},
                                        {WireAbility::setsTracking, wire::trackState},
                                        {WireAbility::ownCalibration, wire::trackRate},
                                        {WireAbility::pulses, wire::pulseWestEast},
                                        {WireAbility::tellsPierSide, wire::pierSide},
                                        {WireAbility::parks, wire::park},
                                        {WireAbility::findsHome, "TELESCOPE_HOME"},
                                        {WireAbility::bins, wire::binning},
                                        {WireAbility::subframes, wire::part},
                                        {WireAbility::cools, wire::cooler},
                                        {WireAbility::setsGain, wire::gain},
                                        {WireAbility::absolute, wire::focusPlace},
                                        {WireAbility::tellsHeat, wire::focusHeat}};

const WireVector* in(const Vectors& vectors, const char* name) {
    const auto at = vectors.find(name);
    return at == vectors.end() ? nullptr : &at->second.vector;
}

WireOffer offerOf(const std::string& device, const Vectors& vectors) {
    WireOffer o;
    o.device = device;
    const WireVector* driver = in(vectors, wire::driver);
    if (driver)
        o.driver = driver->text("DRIVER_NAME");
    const auto told = driver ? wholeNumber(driver->text("DRIVER_INTERFACE")) : std::nullopt;
    const unsigned bits = told && *told >= 0.0 && *told < 1e9 ? static_cast<unsigned>(*told) : 0U;
    for (const WireSign& sign : wireSigns())
        if ((bits & sign.bit) || in(vectors, sign.vector))
            o.roles.push_back(sign.role);
    const WireVector* connection = in(vectors, wire::connection);
    o.connected = connection && connection->on("CONNECT");
    for (const AbilitySign& sign : abilitySigns)
        if (in(vectors, sign.vector))
            o.abilities.push_back(sign.ability);
    if (const WireVector* use = in(vectors, wire::coordinateUse); use && use->find("SYNC"))
        o.abilities.push_back(WireAbility::syncs);
    const auto whole = [](double v) { return v > 0.0 && v < 1e6 ? static_cast<int>(v) : 0; };
    if (const WireVector* info = in(vectors, wire::sensor)) {
        o.width = whole(info->number("CCD_MAX_X"));
        o.height = whole(info->number("CCD_MAX_Y"));
        o.pixel_um = info->number("CCD_PIXEL_SIZE");
        o.bits = whole(info->number("CCD_BITSPERPIXEL"));
    }
    if (const WireVector* rate = in(vectors, wire::guideRate)) {
        o.guideRateRa = rate->number("GUIDE_RATE_WE");
        o.guideRateDec = rate->number("GUIDE_RATE_NS");
    }
    if (const WireVector* names = in(vectors, wire::filterNames))
        for (const WireElement& e : names->elements)
            o.filters.push_back(e.text);
    return o;
}

} // namespace

bool WireOffer::fits(WireRole role) const {
    return std::find(roles.begin(), roles.end(), role) != roles.end();
}

std::vector<WireOffer> offersOf(const WireLink& link) {
    std::vector<WireOffer> offers;
    link.look([&](const WireLink::Known& known) {
        for (const auto& [device, vectors] : known.devices)
            offers.push_back(offerOf(device, vectors));
    });
    return offers;
}

void greetAll(WireLink& link) {
    for (const WireOffer& o : offersOf(link))
        if (!o.roles.empty() && !o.connected)
            WireDevice(link, o.device, Text::say("device")).greet();
}

bool awaitOffers(const WireLink& link, double patience_s) {
    // The first answer, within the patience; connecting may need more than one attempt.
    const auto end = std::chrono::steady_clock::now() + std::chrono::duration<double>(patience_s);
    const auto answered = [](const WireLink::Known& known) { return !known.devices.empty(); };
    bool came = false;
    while (!came && std::chrono::steady_clock::now() < end) {
        came = link.await(answered, 0.1, neverHalted);
        if (!came && !link.connected())
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    constexpr double quiet_s = 0.6;
    for (size_t vectors = 0, before = 1; came && vectors != before;) {
        before = vectors;
        (void)link.await(
            [&](const WireLink::Known& known) {
                vectors = 0;
                for (const auto& [device, all] : known.devices)
                    vectors += all.size();
                return false;
            },
            quiet_s, neverHalted);
        if (std::chrono::steady_clock::now() > end)
            break;
    }
    return came;
}

const char* wireAbilityKey(WireAbility ability) {
    switch (ability) {
    case WireAbility::slews:
        return "slew";
    case WireAbility::syncs:
        return "sync";
    case WireAbility::setsTracking:
        return "tracking";
    case WireAbility::ownCalibration:
        return "own_rate";
    case WireAbility::pulses:
        return "pulse_guide";
    case WireAbility::tellsPierSide:
        return "pier_side";
    case WireAbility::parks:
        return "park";
    case WireAbility::findsHome:
        return "home";
    case WireAbility::bins:
        return "binning";
    case WireAbility::subframes:
        return "subframe";
    case WireAbility::cools:
        return "cooler";
    case WireAbility::setsGain:
        return "gain";
    case WireAbility::absolute:
        return "absolute_focus";
    case WireAbility::tellsHeat:
        return "temperature";
    }
    return "";
}

} // namespace nordstjerna
