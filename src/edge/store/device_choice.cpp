#include "edge/store/device_choice.h"

#include <algorithm>

#include "core/base/lower_case.h"
#include "edge/store/json_reader.h"

namespace nordstjerna {

namespace {
constexpr const char* choiceFormat = "nordstjerna-devices 1";

std::filesystem::path choicePath(const std::filesystem::path& dataFolder) {
    return dataFolder / "devices.json";
}

bool namedForGuiding(const std::string& device) {
    return lowerCase(device).find("guid") != std::string::npos;
}
} // namespace

Expected<DeviceChoice> readDeviceChoice(const std::filesystem::path& dataFolder) {
    std::error_code error;
    if (!std::filesystem::exists(choicePath(dataFolder), error))
        return DeviceChoice{};
    const auto json = readJsonFile(choicePath(dataFolder));
    if (!json)
        return tl::unexpected(json.error());
    DeviceChoice choice;
    std::string format, server;
    JsonReader r(*json, choicePath(dataFolder).string());
    r.required("format", format)
        .optional("use_server", choice.server)
        .optional("server", server)
        .optional("simulated_night", choice.night);
    JsonReader roles(r.child("roles"), "roles");
    for (const WirePlace& place : wirePlaces())
        roles.optional(place.key, choice.roles.*place.role);
    if (auto done = roles.finish(); !done)
        r.setProblem(done.error());
    if (format != choiceFormat)
        r.setProblem({Text::say("The file of the chosen devices has another format: \"%1\".")
                          .arg(format.substr(0, 60)),
                      Text::say("This program reads \"%1\".").arg(choiceFormat),
                      Text::say("Choose the devices again under Rig, Devices.")});
    if (!server.empty()) {
        const auto address = parseWireAddress(server);
        if (address)
            choice.address = *address;
        else
            r.setProblem(address.error());
    }
    return r.finish(choice);
}

Expected<void> writeDeviceChoice(const std::filesystem::path& dataFolder, const DeviceChoice& choice) {
    nlohmann::json roles;
    for (const WirePlace& place : wirePlaces())
        if (const std::string& device = choice.roles.*place.role; !device.empty())
            roles[place.key] = device;
    nlohmann::json json{
        {"format", choiceFormat}, {"use_server", choice.server}, {"server", choice.address.text()}};
    if (!choice.night.empty())
        json["simulated_night"] = choice.night;
    if (!roles.is_null())
        json["roles"] = roles;
    return writeJsonFile(choicePath(dataFolder), json);
}

WireRoles likelyRoles(const std::vector<WireOffer>& offers) {
    WireRoles roles;
    std::vector<const WireOffer*> cameras;
    for (const WireOffer& o : offers) {
        const auto places = wirePlaces();
        const auto place = std::find_if(places.begin(), places.end(), [&](const WirePlace& p) {
            return p.first && o.fits(p.use) && (roles.*p.role).empty();
        });
        const bool mount = place != places.end() && place->use == WireRole::mount;
        // A camera may carry other things in its case; they are chosen by hand.
        if (o.fits(WireRole::camera) && !mount)
            cameras.push_back(&o);
        else if (place != places.end())
            roles.*place->role = o.device;
        else if (o.fits(WireRole::focuser)) {
            std::string& role = namedForGuiding(o.device) ? roles.guideFocuser : roles.imagingFocuser;
            if (role.empty())
                role = o.device;
        }
    }
    // Those for guiding first; where nothing is known of their sizes their order stays.
    std::stable_sort(cameras.begin(), cameras.end(), [](const WireOffer* a, const WireOffer* b) {
        const bool guidesA = namedForGuiding(a->device), guidesB = namedForGuiding(b->device);
        const auto pixels = [](const WireOffer& o) { return double(o.width) * o.height; };
        return guidesA != guidesB ? guidesA : !guidesA && pixels(*a) < pixels(*b);
    });
    if (!cameras.empty())
        roles.guideCamera = cameras.front()->device;
    if (cameras.size() > 1)
        roles.imagingCamera = cameras.back()->device;
    return roles;
}

} // namespace nordstjerna
