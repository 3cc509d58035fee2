#include "core/rig/framing.h"

#include <cmath>

#include "core/base/format.h"
#include "core/rig/scales.h"

namespace nordstjerna {

namespace {
constexpr double oneDegree = 3.14159265358979323846 / 180.0;

struct FrameAxes {
    Vec3 right, up;
};

// Carried along the great circle from one place to another: meridians come together towards the pole, cameras
// on one telescope do not turn with them.
Vec3 carried(const Vec3& direction, const Vec3& from, const Vec3& to) {
    const Vec3 axis = from.cross(to);
    const double cosine = from.dot(to);
    if (cosine < -1.0 + 1e-12) // any great circle leads to the other side
        return -direction;
    return cosine * direction + axis.cross(direction) + axis * (axis.dot(direction) / (1.0 + cosine));
}

FrameAxes axesOf(const Footprint& f) {
    const auto [east, north] = compassAt(f.centre);
    const double a = f.angle_deg * oneDegree;
    const Vec3 up = std::cos(a) * north + std::sin(a) * east;
    // Looking at the sky with north up, east is on the left.
    const Vec3 right = std::sin(a) * north - std::cos(a) * east;
    return {f.mirrored ? Vec3(-right) : right, up};
}
} // namespace

Vec3 Footprint::at(double right_deg, double up_deg) const {
    const FrameAxes axes = axesOf(*this);
    return (centre + std::tan(right_deg * oneDegree) * axes.right + std::tan(up_deg * oneDegree) * axes.up)
        .normalized();
}

std::array<Vec3, 4> Footprint::corners() const {
    const double x = 0.5 * width_deg;
    const double y = 0.5 * height_deg;
    return {at(-x, -y), at(x, -y), at(x, y), at(-x, y)};
}

bool Footprint::holds(const Vec3& icrs) const {
    const double depth = icrs.dot(centre);
    if (depth <= 0.0)
        return false;
    const FrameAxes axes = axesOf(*this);
    return std::abs(icrs.dot(axes.right)) / depth <= std::tan(0.5 * width_deg * oneDegree) &&
           std::abs(icrs.dot(axes.up)) / depth <= std::tan(0.5 * height_deg * oneDegree);
}

Footprint imagingFootprint(const Rig& rig, const Vec3& centre, double angle_deg, bool mirrored) {
    const double scale = scalesOf(rig).image_arcsec_px / 3600.0;
    return {centre, angle_deg, mirrored, scale * rig.imagingCamera.binnedWidth(),
            scale * rig.imagingCamera.binnedHeight()};
}

Footprint guideFootprint(const Rig& rig, const GuideOffset& offset, const Footprint& imaging) {
    const double scale = scalesOf(rig).guide_arcsec_px / 3600.0;
    Footprint guide = imaging;
    guide.centre = imaging.at(offset.right_arcmin / 60.0, offset.up_arcmin / 60.0);
    const FrameAxes axes = axesOf(imaging);
    const double t = offset.turn_deg * oneDegree;
    const Vec3 up =
        carried(Vec3(std::cos(t) * axes.up - std::sin(t) * axes.right), imaging.centre, guide.centre);
    guide.angle_deg = positionAngle(guide.centre, (guide.centre + up).normalized()).deg();
    guide.width_deg = scale * rig.guideCamera.binnedWidth();
    guide.height_deg = scale * rig.guideCamera.binnedHeight();
    return guide;
}

GuideOffset guideOffset(const TangentPlane& imaging, const TangentPlane& guide) {
    GuideOffset offset;
    const auto px = imaging.pixelAt(guide.centre);
    if (!px)
        return offset;
    // Along rows and columns as the lens throws it, so that Footprint::at leads back.
    const double scale = imaging.scaleArcsecPx() / 3600.0 * oneDegree;
    offset.right_arcmin = std::atan((px->x - imaging.reference.x) * scale) / oneDegree * 60.0;
    offset.up_arcmin = std::atan((px->y - imaging.reference.y) * scale) / oneDegree * 60.0;
    const FrameAxes axes = axesOf({imaging.centre, imaging.roll().deg(), imaging.mirrored(), 0.0, 0.0});
    const Vec3 up = carried(axesOf({guide.centre, guide.roll().deg(), guide.mirrored(), 0.0, 0.0}).up,
                            guide.centre, imaging.centre);
    offset.turn_deg = std::atan2(-up.dot(axes.right), up.dot(axes.up)) / oneDegree;
    return offset;
}

GuideOffset offsetAfterTurn(const GuideOffset& offset, double turned_deg, bool mirrored) {
    const double t = (mirrored ? -turned_deg : turned_deg) * oneDegree;
    const double right = offset.right_arcmin, up = offset.up_arcmin;
    return {right * std::cos(t) + up * std::sin(t), up * std::cos(t) - right * std::sin(t),
            std::remainder(offset.turn_deg - t / oneDegree, 360.0)};
}

TurnAdvice turnTo(double angle_deg, double wanted_deg, bool mirrored) {
    const double whole = std::remainder(wanted_deg - angle_deg, 360.0);
    const double half = std::remainder(whole, 180.0);
    TurnAdvice advice;
    advice.flipped = std::abs(whole - half) > 1.0;
    // Seen on the sky position angles grow anticlockwise; a telescope turns pictures, it does not mirror
    // them, so the camera turns as its rectangle does.
    advice.turn_deg = mirrored ? half : -half;
    return advice;
}

Text turnWords(const TurnAdvice& advice) {
    const double size = std::abs(advice.turn_deg);
    return (advice.turn_deg >= 0.0 ? Text::say("%1° clockwise as seen from behind")
                                   : Text::say("%1° anticlockwise as seen from behind"))
        .arg(formatNumber(size, size < 10.0 ? 2 : 1));
}

} // namespace nordstjerna
