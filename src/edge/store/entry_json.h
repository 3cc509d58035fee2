// Entries of the night log as JSON, format "nordstjerna-entry 1": what the log holds of each, and what it can
// be made anew from.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "core/review/entry.h"

namespace nordstjerna {

nlohmann::json entryToJson(const LogEntry& entry);
// Unknown keys are passed over: a newer program may have written it.
Expected<LogEntry> entryFromJson(const nlohmann::json& json, const std::string& where);

} // namespace nordstjerna
