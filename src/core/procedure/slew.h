// Moves the mount to one place and lets it settle.
#pragma once

#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

class Slew : public Procedure {
public:
    Slew(const Rig& rig, const HourAngleDec& target, std::string purpose, double settle_s = 4.0);
    Step next(const Event& event) override;
    Progress progress() const override;
    std::string name() const override { return "Slew"; }

private:
    Rig rig_;
    HourAngleDec target_;
    std::string purpose_;
    double settle_s_;
    int done_ = 0;
};

} // namespace nordstjerna
