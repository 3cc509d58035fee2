// Entries of the night log as JSON, format "nordstjerna-entry 1": what the log holds of each, and what it can
// be made anew from.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "core/review/entry.h"

namespace nordstjerna {

nlohmann::json entryToJson(const LogEntry& entry);
// Whether an identity is a name for a file of its own and nothing else: letters, digits, "-", "_" and ".",
// not hidden, at most 120 of them.
bool isEntryId(const std::string& id);
// Unknown keys are passed over: a newer program may have written it.
Expected<LogEntry> entryFromJson(const nlohmann::json& json, const std::string& where);

} // namespace nordstjerna
