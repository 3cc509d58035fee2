#include "core/procedure/prepare_guiding.h"

#include "core/calibration/reuse.h"

namespace nordstjerna {

std::optional<Calibration> calibrationOnSide(const std::optional<Calibration>& calibration,
                                             const std::string& side, std::optional<bool> decReverses) {
    if (!calibration || calibration->setup.side.empty() || side.empty() || calibration->setup.side == side)
        return calibration;
    return calibrationAcrossPier(*calibration, decReverses);
}

Expected<GuidingSetup> prepareGuiding(const GuidingInputs& in) {
    if (!in.calibration || in.calibration->verdict == CalibrationVerdict::bad ||
        !in.calibrationAgedBy.empty())
        return problem(Text::say("Guiding needs rates."),
                       !in.calibration ? Text::say("None were measured yet.")
                       : !in.calibrationAgedBy.empty()
                           ? Text::say("Those there are do not hold any more: %1.").arg(in.calibrationAgedBy)
                           : Text::say("Those measured last are bad."),
                       Text::say("Measure them at Rates."));
    if (!in.mount.tracking)
        return problem(Text::say("The mount is not tracking."), Text::say("Nothing can be guided."),
                       Text::say("Let it track, or slew."));
    GuidingSetup setup;
    setup.rig = in.rig;
    setup.calibration = *calibrationOnSide(in.calibration, in.mount.side, in.decReverses);
    setup.corrections = in.corrections;
    setup.wantedStars = in.wantedStars;
    setup.lookFirst = in.calibrationUnseen;
    if (in.settings) {
        setup.controller = in.settings->controller();
        setup.exposure_s = in.settings->value(SettingKey::exposure);
    }
    if (!in.rig.mount.decMotor) {
        setup.controller.decMode = DecMode::off;
        setup.calibration.decUnproven = false;
    }
    setup.priors = in.taught;
    // The rig knows its worm better than what an earlier one taught.
    setup.priors.ra.wormPeriod_s = in.rig.mount.wormPeriod_s;
    if (in.mount.correcting) // a curve is being played: another error than was learnt
        setup.priors.ra.worm.reset();
    return setup;
}

} // namespace nordstjerna
