// A small move of the telescope by hand: a pulse, or a slew by minutes of arc to a degree. Never past a limit
// of the mount, and never one that would make it flip.
#pragma once

#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

enum class NudgeWay { north, south, east, west };

struct NudgeSetup {
    Rig rig;
    NudgeWay way = NudgeWay::north;
    Angle step;            // on the sky
    double pulse_ms = 0.0; // instead of the step, where above 0
};

// Where the telescope would point then.
HourAngleDec nudged(const HourAngleDec& from, NudgeWay way, Angle step);
// Why the mount must not be sent there from where it stands; absent: it may.
std::optional<Problem> nudgeObstacle(const Rig& rig, const MountState& mount, const HourAngleDec& place);

class Nudge : public Procedure {
public:
    explicit Nudge(NudgeSetup setup) : setup_(std::move(setup)) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Moving the telescope"); }

protected:
    Step advance(const Event& event) override;

private:
    NudgeSetup setup_;
    bool moved_ = false;
};

} // namespace nordstjerna
