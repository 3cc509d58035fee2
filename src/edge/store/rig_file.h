// Rigs as JSON files, format "nordstjerna-rig 1".
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "core/rig/rig.h"

namespace nordstjerna {

Expected<Rig> rigFromJson(const nlohmann::json& json, const std::string& where);
nlohmann::json rigToJson(const Rig& rig);

// Valid rigs only (validateRig).
Expected<Rig> readRig(const std::filesystem::path& path);
Expected<void> writeRig(const std::filesystem::path& path, const Rig& rig);

} // namespace nordstjerna
