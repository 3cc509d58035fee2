// The figures of a run on standard output.
#pragma once

#include "core/findings/run_story.h"
#include "tool/tool_json.h"

namespace nordstjerna {

Json analysisJson(const Run& run, const RunStory& story);

} // namespace nordstjerna
