// A series on a simulated night, and the frames of a real one judged.
#pragma once

#include <filesystem>
#include <vector>

#include "tool/simulate.h"
#include "tool/tool_json.h"

namespace nordstjerna {

// One row a frame into request.out; with --frames the rendered frames are saved.
Expected<Json> simulateSeries(const SimulateRequest& request);

struct SeriesRequest {
    std::vector<std::filesystem::path> frames;
    std::optional<std::filesystem::path> run; // of the guiding meanwhile
};
// Shapes, creep and causes.
Expected<Json> commandSeries(const SeriesRequest& request);

} // namespace nordstjerna
