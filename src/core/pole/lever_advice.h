// What to do at the mount, in words.
#pragma once

#include <string>

#include "core/base/text.h"
#include "core/pole/pole_error.h"

namespace nordstjerna {

struct LeverAdvice {
    double amount_arcmin = 0.0; // to move on the sky, never negative
    bool withinWanted = false;
    Text action; // "Swing the polar axis left", "Raise the polar axis", "Leave it"
    Text detail; // "axis points 4.6′ too high"
};

struct LeverAdvicePair {
    LeverAdvice azimuth;
    LeverAdvice altitude;
};

// Left and right as seen standing behind the mount and looking towards the elevated pole.
LeverAdvicePair leverAdvice(const PoleError& error, const Site& site, double wanted_arcmin);

} // namespace nordstjerna
