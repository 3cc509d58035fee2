// Hands the mount a periodic-error curve to play back, or stops it playing one.
#pragma once

#include "core/motion/correction_curve.h"
#include "core/procedure/procedure.h"

namespace nordstjerna {

class CurveUpload : public Procedure {
public:
    // Nothing: the mount shall play none.
    explicit CurveUpload(std::optional<CorrectionCurve> curve) : curve_(std::move(curve)) {}
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Correction curve"); }

private:
    std::optional<CorrectionCurve> curve_;
    enum class Phase { start, handing, ended } phase_ = Phase::start;
};

} // namespace nordstjerna
