// What happened in a row of a run, as types. Words stand in run_event_words.h only.
#pragma once

#include <algorithm>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "core/guide/guide_loop.h"
#include "core/guide/settings_book.h"

namespace nordstjerna {

enum class Happening {
    lost,        // no guide star in this frame
    lostStill,   // nor in this one
    found,       // again
    saturates,   // a guide star, in the first of several rows
    pulseFailed, // the mount took none of it
    gust,        // one frame far from what was predicted
    bump,        // two the same way: somebody moved the mount
    clearing,    // a backlash test takes up the backlash first
    north,       // its leg to the north begins
    south,       // or to the south
};
// A change of a setting that holds from this row on.
struct ChangedSetting {
    SettingKey key;
    double value;
    bool operator==(const ChangedSetting&) const = default;
};
// The aim was moved before the frame of this row, to the east and north.
struct AimMove {
    SkyError by;
};
// From the frame before this row on the aim goes east and north at this rate.
struct AimRate {
    SkyError arcsec_min;
    SkyError arcsec_s() const { return {arcsec_min.dra_arcsec / 60.0, arcsec_min.ddec_arcsec / 60.0}; }
};
// The camera gave no frame.
struct NoFrame {
    std::string why;
};
// The computer's clock was set, forward or (negative) back; the times of the run go on as before.
struct ClockSet {
    double by_s;
};
// Words of another maker, kept as they came.
struct ForeignNote {
    std::string text;
    bool disturbs = false; // it says that the row does not describe a loop at work
};

// A state stands for the loop that came into it, or is still settling or dithering.
using RunEvent =
    std::variant<Happening, LoopState, ChangedSetting, AimMove, AimRate, NoFrame, ClockSet, ForeignNote>;

// All that happened in one row, in the order in which it was noted.
class RunEvents {
public:
    RunEvents() = default;
    RunEvents(Happening what) : list_{what} {}
    RunEvents(std::vector<RunEvent> list) : list_(std::move(list)) {}

    void add(RunEvent event) { list_.push_back(std::move(event)); }
    bool empty() const { return list_.empty(); }
    const std::vector<RunEvent>& list() const { return list_; }

    bool has(Happening what) const { return holds(what); }
    bool has(LoopState state) const { return holds(state); }
    bool noFrame() const;
    // The star was not followed: lost, settling, dithering, slewing.
    bool disturbs() const;
    std::vector<ChangedSetting> changedSettings() const;
    std::optional<SkyError> aimMove() const; // all of the row together
    std::optional<AimRate> aimRate() const;  // the last one

private:
    template <typename What>
    bool holds(What what) const {
        return std::any_of(list_.begin(), list_.end(), [what](const RunEvent& e) {
            const What* is = std::get_if<What>(&e);
            return is && *is == what;
        });
    }
    std::vector<RunEvent> list_;
};

} // namespace nordstjerna
