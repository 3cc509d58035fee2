#include "core/sky/observed_frame.h"

#include <algorithm>
#include <cmath>

#include "core/sky/earth_motion.h"

namespace nordstjerna {

namespace {
constexpr double light_um = 0.55;
// Near enough for what still goes by it: a locator that moves by 47 µas a century.
constexpr double ttLessUtc_s = 69.184;

eraASTROM prepare(const Site& site, Instant when, double dut1_s) {
    eraASTROM astrom;
    EarthMotion e = earthMotionAt(when);
    double a = 0.0;
    double b = 0.0;
    eraRefco(site.pressure_hpa, site.temperature_c, site.humidity, light_um, &a, &b);
    const double ut1 = when.jd2() + dut1_s / 86400.0;
    const double tt = when.jd2() + ttLessUtc_s / 86400.0;
    eraApco(when.jd1(), tt, e.barycentric, e.fromSun, e.poleX, e.poleY, e.origin, eraEra00(when.jd1(), ut1),
            site.longitude.rad(), site.latitude.rad(), site.height_m, 0.0, 0.0, eraSp00(when.jd1(), tt), a, b,
            &astrom);
    return astrom;
}

Vec3 observe(const Vec3& icrs, eraASTROM astrom) {
    const Equatorial e = equatorialFrom(icrs);
    double ri = 0.0;
    double di = 0.0;
    eraAtciqz(e.ra.rad(), e.dec.rad(), &astrom, &ri, &di);
    double az = 0.0;
    double zd = 0.0;
    double ha = 0.0;
    double dec = 0.0;
    double ra = 0.0;
    eraAtioq(ri, di, &astrom, &az, &zd, &ha, &dec, &ra);
    return vectorFrom(AltAz{Angle::fromDeg(90.0) - Angle::fromRad(zd), Angle::fromRad(az)});
}
} // namespace

ObservedFrame::ObservedFrame(const Site& site, Instant when, double dut1_s)
    : site_(site), when_(when), dut1_s_(dut1_s), astrom_(prepare(site, when, dut1_s)) {}

ObservedFrame ObservedFrame::turnedTo(Instant when) const {
    ObservedFrame turned = *this;
    turned.when_ = when;
    eraAper13(when.jd1(), when.jd2() + dut1_s_ / 86400.0, &turned.astrom_);
    return turned;
}

Vec3 ObservedFrame::seen(const Vec3& icrs) const {
    return observe(icrs, astrom_);
}

Vec3 ObservedFrame::seenWithoutAir(const Vec3& icrs) const {
    eraASTROM vacuum = astrom_;
    vacuum.refa = vacuum.refb = 0.0;
    return observe(icrs, vacuum);
}

Vec3 ObservedFrame::icrs(const Vec3& seenEnu) const {
    eraASTROM astrom = astrom_;
    const AltAz a = altAzFrom(seenEnu);
    double ri = 0.0;
    double di = 0.0;
    eraAtoiq("A", a.azimuth.rad(), (Angle::fromDeg(90.0) - a.altitude).rad(), &astrom, &ri, &di);
    double rc = 0.0;
    double dc = 0.0;
    eraAticq(ri, di, &astrom, &rc, &dc);
    return vectorFrom(Equatorial{Angle::fromRad(rc), Angle::fromRad(dc)});
}

HourAngleDec ObservedFrame::hourAngleDec(const Vec3& icrs) const {
    eraASTROM astrom = astrom_;
    const Equatorial e = equatorialFrom(icrs);
    double ri = 0.0;
    double di = 0.0;
    eraAtciqz(e.ra.rad(), e.dec.rad(), &astrom, &ri, &di);
    return {Angle::fromRad(astrom_.eral - ri).wrappedSigned(), Angle::fromRad(di)};
}

Vec3 ObservedFrame::icrsFrom(const HourAngleDec& hd) const {
    eraASTROM astrom = astrom_;
    double rc = 0.0;
    double dc = 0.0;
    eraAticq(astrom_.eral - hd.hourAngle.rad(), hd.dec.rad(), &astrom, &rc, &dc);
    return vectorFrom(Equatorial{Angle::fromRad(rc), Angle::fromRad(dc)});
}

Angle ObservedFrame::siderealTime() const {
    return Angle::fromRad(astrom_.eral - earthMotionAt(when_).equationOfOrigins).wrapped();
}

Angle refractionAt(const Site& site, Angle trueAltitude) {
    double a = 0.0;
    double b = 0.0;
    eraRefco(site.pressure_hpa, site.temperature_c, site.humidity, light_um, &a, &b);
    // Solve seen = true + R(seen) by a few fixed-point steps; the floor is ERFA's own.
    Angle seen = trueAltitude;
    for (int i = 0; i < 6; ++i) {
        const double t = 1.0 / tan(std::max(seen, Angle::fromDeg(3.0)));
        seen = trueAltitude + Angle::fromRad(a * t + b * t * t * t);
    }
    return seen - trueAltitude;
}

Vec3 elevatedPole(const Site& site, bool refracted) {
    Angle altitude = site.southern() ? -site.latitude : site.latitude;
    if (refracted)
        altitude += refractionAt(site, altitude);
    return vectorFrom(AltAz{altitude, Angle::fromDeg(site.southern() ? 180.0 : 0.0)});
}

Angle refractionBennett(Angle apparentAltitude) {
    const double h = apparentAltitude.deg();
    return Angle::fromArcmin(1.0 / tan(Angle::fromDeg(h + 7.31 / (h + 4.4))));
}

} // namespace nordstjerna
