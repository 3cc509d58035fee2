// The guide loop as a filter on lines of JSON: for scripts, other simulators and hardware of one's own.
// Nothing but the lines decides what it does. docs/tool.md has the format.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/guide/guide_loop.h"
#include "core/motion/recent_mount.h"
#include "tool/tool_json.h"

namespace nordstjerna {

class LoopFilter {
public:
    // The answer to a line, one object; nothing to an empty line. A line that makes no sense is answered with
    // a problem that has its number, and changes nothing.
    std::optional<Json> line(const std::string& text);
    // After an answer, while the next line is awaited: what takes longer than an answer may.
    void betweenLines();
    // At the end of the input: the figures of what was guided.
    Json summary() const;

private:
    Json begin(const Json& line);
    Json frame(const Json& line);
    void aim(const Json& line);
    void set(const Json& line);
    Json answerTo(const RunRow& row, const LoopOutput& out);

    int number_ = 0; // of the line
    std::optional<GuideLoop> loop_;
    LoopSettings settings_;
    double exposure_s_ = 2.0;
    double resolution_ms_ = 1.0;
    double cosDec_ = 1.0;
    Run run_;
    std::vector<RowBelief> beliefs_;
    std::optional<RecentMount> recentMount_;
    double recentDue_s_ = recentEvery_s;
    PulsePair sent_;
    std::string stopped_;          // why an axis is no longer corrected
    std::vector<RunEvent> events_; // to be noted in the next row
};

// All of standard input, each answer flushed at once. Exit status.
int runLoopFilter();

} // namespace nordstjerna
