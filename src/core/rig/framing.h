// How the sensors lie on the sky, and how to turn them.
#pragma once

#include <array>
#include <string>

#include "core/base/text.h"
#include "core/rig/rig.h"
#include "core/sky/solved_frame.h"

namespace nordstjerna {

// A sensor's rectangle on the sky: its middle, the position angle of its +y axis, whether the picture is
// mirrored, and its sides.
struct Footprint {
    Vec3 centre = Vec3::UnitX(); // ICRS
    double angle_deg = 0.0;      // north through east
    bool mirrored = false;
    double width_deg = 0.0;
    double height_deg = 0.0;

    // Direction of a point on it, degrees from its middle along rows and columns.
    Vec3 at(double right_deg, double up_deg) const;
    // Lower left, lower right, upper right, upper left.
    std::array<Vec3, 4> corners() const;
    bool holds(const Vec3& icrs) const;
};

// Of a camera of the rig with its middle there.
Footprint imagingFootprint(const Rig& rig, const Vec3& centre, double angle_deg, bool mirrored = false);
// Of the guide camera, seen from the imaging camera by what was measured.
Footprint guideFootprint(const Rig& rig, const GuideOffset& offset, const Footprint& imaging);
// What was measured, from frames of both cameras for the same moment, the air taken out (seenPlane). The
// planes count pixels of the frames that were solved.
GuideOffset guideOffset(const TangentPlane& imaging, const TangentPlane& guide);
// The same after the imaging camera alone was turned by so much, as position angles grow.
GuideOffset offsetAfterTurn(const GuideOffset& offset, double turned_deg, bool mirrored);

// How to turn a camera to a wanted angle. A rectangle upside down is the same rectangle: of both ways the
// shorter is taken, a quarter turn at most.
struct TurnAdvice {
    double turn_deg = 0.0; // clockwise as seen from behind the camera, looking at the sky; signed
    bool flipped = false;  // it ends upside down against the wanted angle
};
TurnAdvice turnTo(double angle_deg, double wanted_deg, bool mirrored);
Text turnWords(const TurnAdvice& advice); // "34.0° clockwise as seen from behind"

} // namespace nordstjerna
