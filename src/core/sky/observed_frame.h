// From catalogue places (ICRS, epoch of date) to what is seen from a site at a moment and back:
// precession, nutation, aberration, Earth rotation, refraction. All by ERFA (IAU SOFA routines
// eraApco, eraAtciqz, eraAtioq and their inverses). Accurate to a milliarcsecond except for
// refraction, whose model (A tan z + B tan³ z) holds to 0.1″ above 15° altitude.
#pragma once

#include <erfa.h>

#include "core/sky/directions.h"
#include "core/sky/instant.h"
#include "core/sky/site.h"

namespace nordstjerna {

class ObservedFrame {
public:
    // dut1_s = UT1 − UTC.
    ObservedFrame(const Site& site, Instant when, double dut1_s = 0.0);

    // The same site at another moment within about an hour: only the Earth is turned, which is some
    // hundred times cheaper. What precession, nutation and annual aberration change meanwhile is left
    // out: under 0.03″ in half an hour.
    ObservedFrame turnedTo(Instant when) const;

    Instant when() const { return when_; }
    const Site& site() const { return site_; }

    // ICRS unit vector → direction in which it is seen, ENU, refraction included; and back.
    Vec3 seen(const Vec3& icrs) const;
    Vec3 icrs(const Vec3& seenEnu) const;
    // The same without refraction: where it would be seen through vacuum.
    Vec3 seenWithoutAir(const Vec3& icrs) const;

    // Apparent place as a mount counts it: hour angle and declination about the true pole, no refraction.
    HourAngleDec hourAngleDec(const Vec3& icrs) const;
    Vec3 icrsFrom(const HourAngleDec& hd) const;

    // Local apparent sidereal time.
    Angle siderealTime() const;

private:
    Site site_;
    Instant when_;
    double dut1_s_;
    eraASTROM astrom_;
};

// Celestial pole above the horizon (north or south), ENU, as seen through the site's air or in vacuum.
Vec3 elevatedPole(const Site& site, bool refracted);
// Amount by which air lifts a direction of the given true altitude.
Angle refractionAt(const Site& site, Angle trueAltitude);
// Bennett's formula (J. Navigation 35, 1982) for the refraction at an apparent altitude, in standard air
// (1010 hPa, 10 °C).
Angle refractionBennett(Angle apparentAltitude);

} // namespace nordstjerna
