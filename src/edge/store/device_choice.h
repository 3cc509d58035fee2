// Which devices the evenings of a data folder are spent with: devices.json, format "nordstjerna-devices 1".
#pragma once

#include <filesystem>

#include "edge/devices/wire/wire_offer.h"

namespace nordstjerna {

struct DeviceChoice {
    bool server = false; // else the simulated night
    WireAddress address;
    WireRoles roles;
    std::string night; // which of the simulated nights that ship; empty: the demo night

    bool operator==(const DeviceChoice&) const = default;
};

// That of a new person where there is no file.
Expected<DeviceChoice> readDeviceChoice(const std::filesystem::path& dataFolder);
Expected<void> writeDeviceChoice(const std::filesystem::path& dataFolder, const DeviceChoice& choice);

// What a person would most likely choose: the first mount and focuser, and of two cameras the one that is
// named as a guide camera, or else has the smaller sensor, for guiding; the first filter wheel and rotator.
WireRoles likelyRoles(const std::vector<WireOffer>& offers);

} // namespace nordstjerna
