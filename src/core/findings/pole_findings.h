// What a measured polar error means for the pictures.
#pragma once

#include "core/findings/finding.h"
#include "core/pole/pole_error.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct PoleJudgement {
    double wanted_arcmin = 2.0;
    HourAngleDec target; // where the consequences are counted
};

std::vector<Finding> poleFindings(const PoleError& error, const AxisFit& fit, const Rig& rig,
                                  const PoleJudgement& judgement);

} // namespace nordstjerna
