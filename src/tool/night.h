// nordstjerna-tool night: the night log of a data folder, without a window.
#pragma once

#include <filesystem>
#include <optional>

#include "tool/tool_json.h"

namespace nordstjerna {

struct NightRequest {
    std::filesystem::path data; // folder; empty: that of the application
    std::string night;          // the date of its evening, 2026-10-14
    std::string words;          // of a search
    std::filesystem::path report;
};

Expected<Json> nightList(const NightRequest& request);
Expected<Json> nightShow(const NightRequest& request);
Expected<Json> nightReport(const NightRequest& request);
Expected<Json> nightRebuild(const NightRequest& request);

} // namespace nordstjerna
