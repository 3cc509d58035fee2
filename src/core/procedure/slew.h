// Moves the mount to one place and lets it settle.
#pragma once

#include "core/procedure/arrival.h"
#include "core/rig/rig.h"

namespace nordstjerna {

// Why the mount must not be sent to a place: hidden by the horizon profile or below the horizon.
std::optional<Problem> slewObstacle(const Rig& rig, const HourAngleDec& place);
// The slew with its duration in the announcement, which begins with `purpose`. side: see SlewStep.
SlewStep announcedSlew(const Rig& rig, const Event& event, const HourAngleDec& place, const Text& purpose,
                       const std::string& side = {});

// The side of a slew that must not flip: the one it looks to, of a mount that would choose by itself.
std::string sideKept(const MountState& mount);

class Slew : public Procedure {
public:
    Slew(const Rig& rig, const HourAngleDec& target, Text purpose, double settle_s = 4.0);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Slew"); }

private:
    Rig rig_;
    HourAngleDec target_;
    Text purpose_;
    double settle_s_;
    Arrival arrival_;
    bool begun_ = false;
};

} // namespace nordstjerna
