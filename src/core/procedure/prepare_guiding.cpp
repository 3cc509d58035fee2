#include "core/procedure/prepare_guiding.h"

#include "core/rates/reuse.h"

namespace nordstjerna {

std::optional<Rates> ratesOnSide(const std::optional<Rates>& rates, const std::string& side,
                                 std::optional<bool> decReverses) {
    if (!rates || rates->setup.side.empty() || side.empty() || rates->setup.side == side)
        return rates;
    return ratesAcrossPier(*rates, decReverses);
}

Expected<GuidingSetup> prepareGuiding(const GuidingInputs& in) {
    if (!in.rates || in.rates->verdict == RatesVerdict::bad || !in.ratesAgedBy.empty())
        return problem(Text::say("Guiding needs rates."),
                       !in.rates ? Text::say("None were measured yet.")
                       : !in.ratesAgedBy.empty()
                           ? Text::say("Those there are do not hold any more: %1.").arg(in.ratesAgedBy)
                           : Text::say("Those measured last are bad."),
                       Text::say("Measure them at Rates."));
    if (!in.mount.tracking)
        return problem(Text::say("The mount is not tracking."), Text::say("Nothing can be guided."),
                       Text::say("Let it track, or slew."));
    GuidingSetup setup;
    setup.rig = in.rig;
    setup.rates = *ratesOnSide(in.rates, in.mount.side, in.decReverses);
    setup.corrections = in.corrections;
    setup.wantedStars = in.wantedStars;
    setup.lookFirst = in.ratesUnseen;
    if (in.settings) {
        setup.controller = in.settings->controller();
        setup.exposure_s = in.settings->value(SettingKey::exposure);
    }
    if (!in.rig.mount.decMotor) {
        setup.controller.decMode = DecMode::off;
        setup.rates.decUnproven = false;
    }
    setup.priors = in.taught;
    // The rig knows its worm better than what an earlier one taught.
    setup.priors.ra.wormPeriod_s = in.rig.mount.wormPeriod_s;
    if (in.mount.correcting) // a curve is being played: another error than was learnt
        setup.priors.ra.worm.reset();
    return setup;
}

} // namespace nordstjerna
