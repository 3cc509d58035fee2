#include "core/pole/reticle.h"

namespace nordstjerna {

namespace {
const Equatorial polaris{Angle::fromHours(2.0 + 31.0 / 60.0 + 49.09 / 3600.0),
                         Angle::fromDeg(89.0 + 15.0 / 60.0 + 50.8 / 3600.0)};
const Equatorial sigmaOctantis{Angle::fromHours(21.0 + 8.0 / 60.0 + 46.86 / 3600.0),
                               -Angle::fromDeg(88.0 + 57.0 / 60.0 + 23.4 / 3600.0)};
} // namespace

ReticlePlace reticlePlace(const ObservedFrame& frame, bool inverted) {
    const bool south = frame.site().southern();
    ReticlePlace r;
    r.star = south ? Text::say("σ Octantis") : Text::say("Polaris");
    r.place = frame.hourAngleDec(vectorFrom(south ? sigmaOctantis : polaris));
    r.distance = Angle::fromDeg(90.0) - (south ? -r.place.dec : r.place.dec);
    // The sky turns anticlockwise about the north pole and clockwise about the south pole; at hour angle 0
    // the star stands above the pole.
    r.dial =
        ((south ? r.place.hourAngle : -r.place.hourAngle) + Angle::fromDeg(inverted ? 180.0 : 0.0)).wrapped();
    r.clock_h = r.dial.deg() / 30.0;
    return r;
}

} // namespace nordstjerna
