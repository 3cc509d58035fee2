#include "core/calibration/calibration_look.h"

#include <Eigen/LU>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

SkyOnSensor skyOnSensor(const TangentPlane& plane) {
    const Eigen::Matrix2d onSensor = plane.cd.inverse();
    const auto angle = [](const Eigen::Vector2d& v) {
        return Angle::fromRad(std::atan2(v.y(), v.x())).wrapped().deg();
    };
    return {angle(onSensor.col(0)), angle(onSensor.col(1))};
}

Text CalibrationLook::words() const {
    switch (hold) {
    case CalibrationHold::asBefore:
        return Text::say("as before");
    case CalibrationHold::turned:
        return Text::say("turned by %1").arg(formatMeasured(turn_deg, "°", 1));
    case CalibrationHold::notAny:
        return Text::say("not any more, because %1").arg(why);
    case CalibrationHold::unknown:
        break;
    }
    return Text::say("not known, because %1").arg(why);
}

CalibrationLook lookAtCalibration(const Calibration& here, const SolvedFrame& frame) {
    const auto apart = [](double a, double b) { return Angle::fromDeg(a - b).wrappedSigned().deg(); };
    const SkyOnSensor then = skyOnSensor(here);
    const SkyOnSensor now = skyOnSensor(frame.plane);
    CalibrationLook look;
    look.hold = CalibrationHold::notAny;
    if ((apart(then.north_deg, then.east_deg) > 0.0) != (apart(now.north_deg, now.east_deg) > 0.0)) {
        look.why = Text::say("the picture is mirrored against then");
        return look;
    }
    constexpr double sameScale = 0.01;
    const double scale = frame.plane.scaleArcsecPx();
    if (std::abs(scale / here.setup.scale_arcsec_px - 1.0) > sameScale) {
        look.why = Text::say("the scale is %1 ″/px and was %2 ″/px")
                       .arg(formatNumber(scale, 3))
                       .arg(formatNumber(here.setup.scale_arcsec_px, 3));
        return look;
    }
    // Both directions turned alike; with their mean the lens's own skew drops out.
    const double east = apart(now.east_deg, then.east_deg);
    const double turn =
        Angle::fromDeg(east + 0.5 * apart(apart(now.north_deg, then.north_deg), east)).wrappedSigned().deg();
    const double sigmaThen = here.setup.east_deg && here.setup.north_deg
                                 ? here.setup.directionSigma_deg
                                 : std::hypot(here.ra.angle_deg.sigma, here.dec.angle_deg.sigma) / 2.0;
    look.turn_deg = {turn, std::hypot(sigmaThen, frame.sigmaRoll_arcsec / 3600.0)};
    // Half a turn may as well be the mount on the other side of the pier than it says; which way Dec pulses
    // work then is not to be guessed.
    constexpr double upsideDown_deg = 20.0;
    if (std::abs(turn) > 180.0 - upsideDown_deg) {
        look.why = Text::say("the picture stands on its head against then");
        return look;
    }
    constexpr double matters_deg = 1.0;
    look.hold = std::abs(turn) > std::max(matters_deg, 3.0 * look.turn_deg.sigma) ? CalibrationHold::turned
                                                                                  : CalibrationHold::asBefore;
    return look;
}

} // namespace nordstjerna
