// Rigs as JSON files, format "nordstjerna-rig 1"; their parts alone as "nordstjerna-mount 1",
// "nordstjerna-optics 1" and "nordstjerna-site 1".
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "core/rig/rig_parts.h"

namespace nordstjerna {

Expected<Rig> rigFromJson(const nlohmann::json& json, const std::string& where);
nlohmann::json rigToJson(const Rig& rig);

// Valid rigs only (validateRig).
Expected<Rig> readRig(const std::filesystem::path& path);
Expected<void> writeRig(const std::filesystem::path& path, const Rig& rig);

// One part, into a rig that stays as it is where that fails.
Expected<void> readRigPart(const std::filesystem::path& path, RigPart part, Rig& into);
Expected<void> writeRigPart(const std::filesystem::path& path, RigPart part, const Rig& rig);
nlohmann::json rigPartToJson(const Rig& rig, RigPart part);

} // namespace nordstjerna
