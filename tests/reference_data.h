// Committed outputs of tests/reference/generate.py.
#pragma once

#include <fstream>
#include <nlohmann/json.hpp>
#include <string>

inline nlohmann::json referenceData(const std::string& name) {
    std::ifstream file(std::string(SOURCE_DIR "/tests/reference/data/") + name + ".json");
    return nlohmann::json::parse(file);
}
