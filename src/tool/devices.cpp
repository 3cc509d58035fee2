#include "tool/devices.h"

#include "edge/devices/wire/wire_offer.h"

namespace nordstjerna {

namespace {
constexpr double answer_s = 10.0;

Json offerJson(const WireOffer& offer) {
    Json j{{"device", offer.device}, {"driver", offer.driver}, {"connected", offer.connected}};
    j["uses"] = Json::array();
    for (const WireRole role : offer.roles)
        j["uses"].push_back(wireRoleKey(role));
    j["abilities"] = Json::array();
    for (const WireAbility ability : offer.abilities)
        j["abilities"].push_back(wireAbilityKey(ability));
    if (offer.width > 0)
        j["sensor"] = {{"width", offer.width},
                       {"height", offer.height},
                       {"pixel_um", offer.pixel_um},
                       {"bits", offer.bits}};
    if (offer.guideRateRa > 0.0)
        j["guide_rate_sidereal"] = {{"ra", offer.guideRateRa}, {"dec", offer.guideRateDec}};
    if (!offer.filters.empty())
        j["filters"] = offer.filters;
    return j;
}
} // namespace

Expected<Json> commandDevices(const std::string& server, bool connect) {
    const auto address = parseWireAddress(server);
    if (!address)
        return tl::unexpected(address.error());
    WireLink link(*address, {});
    if (!awaitOffers(link, answer_s))
        return tl::unexpected(link.absent());
    if (connect) {
        greetAll(link);
        (void)awaitOffers(link, answer_s);
    }
    Json all{{"server", address->text()}, {"devices", Json::array()}};
    for (const WireOffer& offer : offersOf(link))
        if (!offer.roles.empty())
            all["devices"].push_back(offerJson(offer));
    return all;
}

} // namespace nordstjerna
