// Runs a scenario without a window and writes what was recorded.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>

#include "core/motion/run.h"
#include "tool/loop_wishes.h"
#include "tool/tool_json.h"

namespace nordstjerna {

struct SimulateRequest {
    std::filesystem::path scenario;
    double minutes = 10.0;
    RunKind kind = RunKind::guided;
    std::optional<std::uint64_t> seed;
    std::filesystem::path out;
    std::optional<std::filesystem::path> frames; // folder for full frames
    LoopWishes wishes;                           // over the settings of a new rig
    bool tuned = false;                          // with what Tune proposes from a free run before
    // For a series of the imaging camera, which goes on beside guiding.
    double imageExposure_s = 180.0;
    double dither_px = 10.0;
    int ditherEvery = 3;
    bool rendered = false; // measure stars on rendered windows instead of directly
};

Expected<Json> simulate(const SimulateRequest& request);

} // namespace nordstjerna
