// This night: its clock, its almanac, what was done in it and what is planned.
#pragma once

#include <QString>

#include "core/review/entry.h"
#include "core/series/night_plan.h"
#include "core/sky/almanac.h"
#include "desk/evening/target_book.h"

namespace nordstjerna {

// A stretch of the night in which something was done; drawn on the night band.
struct NightBlock {
    Instant from, to;
    QString label;
    enum class Tone { done, good, attention } tone = Tone::done; // its colour follows the theme
    bool open = false;                                           // still going on
    std::string entry;                                           // in the night log; empty: none
};

class ThisNight {
public:
    ThisNight(const Clock& clock, const RigBook& rigs, const TargetBook& targets,
              std::filesystem::path dataFolder);

    Instant now() const { return clock_.now(); }
    const Clock& clock() const { return clock_; } // to be read in any thread
    // The night of now; absent where the Sun does not set or rise.
    const std::optional<Night>& almanac();

    // An entry of the log, begun with the rig and target of now.
    LogEntry newEntry(EntryKind kind) const;
    // Where a run that begins now may be written.
    std::filesystem::path newRunPath(const std::string& kind) const;

    const std::vector<NightBlock>& blocks() const { return blocks_; }
    void addBlock(const NightBlock& block) { blocks_.push_back(block); }
    // One that goes on from now until it is closed.
    size_t openBlock(const QString& label);
    void closeBlock(size_t block);
    // The next block to open is that of this entry.
    void blockIsOf(const std::string& entry) { nextEntry_ = entry; }

    // What the series still means to do.
    const std::optional<SeriesPlan>& plan() const { return plan_; }
    void setPlan(std::optional<SeriesPlan> plan) { plan_ = std::move(plan); }
    // And the targets after it.
    const std::vector<NightStretch>& later() const { return later_; }
    void setLater(std::vector<NightStretch> later) { later_ = std::move(later); }

private:
    const Clock& clock_;
    const RigBook& rigs_;
    const TargetBook& targets_;
    std::filesystem::path dataFolder_;
    std::vector<NightBlock> blocks_;
    std::string nextEntry_;
    std::optional<SeriesPlan> plan_;
    std::vector<NightStretch> later_;
    // Found once a night and site.
    std::optional<Night> almanac_;
    Site almanacSite_;
    std::optional<Instant> almanacNoon_;
};

} // namespace nordstjerna
