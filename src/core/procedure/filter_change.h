// Puts another filter before the imaging camera: by the wheel, or by a person who is asked to; the focuser
// then moves by what the filters differ.
#pragma once

#include "core/base/measured.h"
#include "core/procedure/focuser_move.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct FilterChangeSetup {
    std::vector<std::string> filters; // as the rig names them, in the order of the slots
    std::string to;
    bool wheel = true;              // else by hand, until goOn()
    std::optional<double> by_steps; // the focuser, outwards; absent: it stays
    double takeUp_steps = 0.0;      // of its backlash
    // Of a change that was broken off with the filter in place: where the focuser was to go, where that was
    // known. From where it stands now nobody could tell.
    bool inPlace = false;
    std::optional<double> place_steps;
};

// To another filter of this rig; the focuser follows by that difference, where it is given.
FilterChangeSetup filterChange(const Rig& rig, bool wheel, const std::string& to,
                               const std::optional<Measured>& by_steps);
// What the rig calls the filter that the wheel has before the camera; empty: nothing.
std::string filterBefore(const Rig& rig, const WheelState& wheel);

class FilterChange : public Procedure {
public:
    explicit FilterChange(FilterChangeSetup setup) : setup_(std::move(setup)) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Changing the filter"); }
    bool needsMount() const override { return false; }
    bool besideGuiding() const override { return true; }

    // Waits for a person to change it.
    bool pausing() const { return phase_ == Phase::byHand; }
    void goOn() { goOn_ = true; }
    const std::optional<Problem>& failure() const { return failure_; }
    // One that goes on with this one, which failed.
    const FilterChangeSetup& again() const { return setup_; }
    const std::string& to() const { return setup_.to; }

    // As one step of a larger procedure, which forwards its events. Nothing once it is over.
    std::optional<Step> step(const Event& event);

protected:
    Step advance(const Event& event) override;

private:
    enum class Phase { start, turning, byHand, asking, moving, ended };
    std::optional<Step> turned(const WheelState& state);
    std::optional<Step> focus();
    std::optional<Problem> outOfTravel(const FocuserState& now, double place) const;
    std::optional<Step> end(std::optional<Problem> failure = std::nullopt);
    Step askPerson() const;
    Text askedFor() const;

    FilterChangeSetup setup_;
    Phase phase_ = Phase::start;
    std::optional<FocuserMove> move_;
    std::optional<Problem> failure_;
    int slot_ = 0; // that is wanted
    int looks_ = 0;
    bool goOn_ = false;
};

} // namespace nordstjerna
