// Learns by how much the filters differ: a focus run through each, one after the other, and once more through
// the first, which tells what the focus moved by meanwhile. Ends with the first filter before the camera, in
// focus.
#pragma once

#include "core/focus/filter_offsets.h"
#include "core/procedure/filter_change.h"
#include "core/procedure/focus_run.h"

namespace nordstjerna {

struct FilterFocusingSetup {
    FocusRunSetup run;                // of the imaging camera
    std::vector<std::string> through; // these, in this order
    bool wheel = true;
    std::vector<FocusedOnce> known; // runs of before, which bring it near the focus at once
};

class FilterFocusing : public Procedure {
public:
    explicit FilterFocusing(FilterFocusingSetup setup);
    Progress progress() const override;
    Text name() const override { return Text::say("Focusing every filter"); }
    bool needsMount() const override { return false; }
    bool besideGuiding() const override { return !setup_.run.rig.offAxis; }

    struct Found {
        std::string filter;
        Instant when;
        FocusResult result;
    };
    const std::vector<Found>& found() const { return found_; }
    const FocusRun* run() const { return run_ ? &*run_ : nullptr; } // under way
    const std::string& filter() const { return filter_; }           // before the camera
    // Waits for a person to change the filter.
    bool pausing() const { return changing_ && changing_->pausing(); }
    void goOn();

protected:
    Step advance(const Event& event) override;

private:
    Step change(const Event& event);
    Step changed(const Event& event);
    Step focus(const Event& event);
    FilterFocusingSetup setup_;
    std::vector<std::string> order_; // with the first one again
    size_t at_ = 0;
    std::string filter_;
    std::optional<FilterChange> changing_;
    std::optional<FocusRun> run_;
    std::vector<Found> found_;
};

} // namespace nordstjerna
