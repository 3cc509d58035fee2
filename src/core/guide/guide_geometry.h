// From pixels to the sky and from the sky to pulses, by the measured rates.
#pragma once

#include "core/rates/calibration.h"

namespace nordstjerna {

// Place of the star relative to the aim point: east and north positive, RA on the sky (× cos δ).
struct SkyError {
    double dra_arcsec = 0.0;
    double ddec_arcsec = 0.0;
};

// Signed pulse lengths; west and north positive.
struct PulsePair {
    double ra_ms = 0.0;
    double dec_ms = 0.0;
};

class GuideGeometry {
public:
    // dec: where guiding takes place; the rates may come from elsewhere.
    GuideGeometry(const Rates& rates, Angle dec);

    SkyError toSky(double dx_px, double dy_px) const;
    // Pulse that moves the star by the opposite of the given error.
    PulsePair pulseAgainst(const SkyError& correction) const;

    double raRate_arcsec_s() const { return raRate_; } // on the sky at this declination
    double decRate_arcsec_s() const { return decRate_; }

private:
    double scale_;
    double west_[2], north_[2]; // unit vectors of the star's motion on the sensor
    double raRate_, decRate_;
};

} // namespace nordstjerna
