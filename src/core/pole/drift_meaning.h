// What the drift of a star left alone says of the polar axis and of the tracking rate, told apart by
// geometry.
#pragma once

#include <optional>

#include "core/base/text.h"
#include "core/pole/referee.h"

namespace nordstjerna {

struct DriftMeaning {
    DriftComponent component; // of the polar error, from the Dec drift
    // RA drift that the axis and the air make here, ″/min on the sky. Without a measured axis: of an axis on
    // the pole, with what one arcminute at right angles to `component` would add.
    Measured raFromPole_arcsec_min;
    double raPerArcmin_arcsec_min = 0.0;
    bool axisKnown = false;
    Measured tracking_arcsec_min; // what is left of the RA drift: the rate itself
    Measured tracking_ppm;        // of the sidereal rate, positive when the mount runs fast
};

// axis: as measured, with its covariance; absent when it was not.
DriftMeaning meaningOfDrift(const DriftWatch& dec, const Measured& ra_arcsec_min, const Site& site,
                            const std::optional<AxisFit>& axis);

// "Here it is 2.1′ ± 0.2′ of the axis' height …": the sentence that goes with it, for the reference of the
// site's refracted pole.
Text componentText(const DriftComponent& component);

} // namespace nordstjerna
