#include "core/calibration/reuse.h"

#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
double wrapped(double deg) {
    return Angle::fromDeg(deg).wrapped().deg();
}
} // namespace

Calibration calibrationAtBinning(const Calibration& calibration, int bin) {
    Calibration r = calibration;
    const double f = static_cast<double>(calibration.setup.bin) / bin;
    r.setup.bin = bin;
    r.setup.scale_arcsec_px /= f;
    for (Measured* m : {&r.ra.rate_px_s, &r.dec.rate_px_s, &r.drift_px_min})
        *m = {m->value * f, m->sigma * f};
    for (LegFit& leg : r.legs) {
        leg.travel_px *= f;
        leg.roughness_px *= f;
    }
    for (CalibrationSample& s : r.samples) {
        s.x = (s.x + 0.5) * f - 0.5;
        s.y = (s.y + 0.5) * f - 0.5;
    }
    return r;
}

// Position angles grow from north to east: where the sensor's picture is not mirrored that is
// counter-clockwise, and the sky turns the other way on it.
double turnOnSensor_deg(const SkyOnSensor& sky, double positionAngle_deg) {
    const double eastward = Angle::fromDeg(sky.east_deg - sky.north_deg).wrappedSigned().deg();
    return eastward > 0.0 ? -positionAngle_deg : positionAngle_deg;
}

Calibration calibrationTurned(const Calibration& calibration, double rotator_deg) {
    Calibration r = calibration;
    r.ra.angle_deg.value = wrapped(calibration.ra.angle_deg.value + rotator_deg);
    r.dec.angle_deg.value = wrapped(calibration.dec.angle_deg.value + rotator_deg);
    for (auto* sky : {&r.setup.east_deg, &r.setup.north_deg})
        if (*sky)
            *sky = wrapped(**sky + rotator_deg);
    const double a = Angle::fromDeg(rotator_deg).rad();
    if (!r.samples.empty()) {
        const double x0 = calibration.samples.front().x;
        const double y0 = calibration.samples.front().y;
        for (CalibrationSample& s : r.samples) {
            const double dx = s.x - x0;
            const double dy = s.y - y0;
            s.x = x0 + dx * std::cos(a) - dy * std::sin(a);
            s.y = y0 + dx * std::sin(a) + dy * std::cos(a);
        }
    }
    return r;
}

Calibration calibrationAcrossPier(const Calibration& calibration, std::optional<bool> decPulsesReverse) {
    Calibration r = calibration;
    // The sky's place must be fixed before the pulses change theirs.
    const SkyOnSensor sky = skyOnSensor(calibration);
    r.setup.east_deg = sky.east_deg;
    r.setup.north_deg = sky.north_deg;
    r = calibrationTurned(r, 180.0);
    r.decUnproven = !decPulsesReverse;
    if (decPulsesReverse.value_or(false))
        r.dec.angle_deg.value = wrapped(r.dec.angle_deg.value + 180.0);
    r.setup.side = calibration.setup.side == "east" ? "west" : calibration.setup.side == "west" ? "east" : "";
    const double between = Angle::fromDeg(r.dec.angle_deg.value - r.ra.angle_deg.value).wrappedSigned().deg();
    r.mirrored = between < 0.0;
    return r;
}

Text whyCalibrationAged(const CalibrationSetup& then, const CalibrationSetup& now) {
    const double thenScale = then.scale_arcsec_px / then.bin;
    const double nowScale = now.scale_arcsec_px / now.bin;
    if (std::abs(nowScale / thenScale - 1.0) > 0.005)
        return Text::say("the guide scale changed from %1 to %2 ″/px (unbinned)")
            .arg(formatNumber(thenScale, 2))
            .arg(formatNumber(nowScale, 2));
    if (std::abs(now.guideRateRa - then.guideRateRa) > 0.005 ||
        std::abs(now.guideRateDec - then.guideRateDec) > 0.005)
        return Text::say("the mount's guide rate changed");
    if (then.decMotor != now.decMotor)
        return now.decMotor ? Text::say("they were measured without a motor on the Dec axis")
                            : Text::say("the Dec axis has no motor any more");
    return {};
}

} // namespace nordstjerna
