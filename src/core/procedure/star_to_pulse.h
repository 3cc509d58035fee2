// How the procedures that pulse a star for what it tells begin: pulses of a given reach, and stars with the
// room for them.
#pragma once

#include "core/guide/guide_geometry.h"
#include "core/procedure/star_watch.h"

namespace nordstjerna {

// Lengths of pulses that move the star by so much, ms; no longer than a second and a half.
PulsePair pulsesThatMove(double step_arcsec, const GuideGeometry& geometry);

// Stars far enough from the edge for so many steps one way. Fails where none is fit.
Expected<StarWatch> starsToPulse(const Frame& frame, double step_px, int steps);

} // namespace nordstjerna
