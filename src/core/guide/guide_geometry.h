// From pixels to the sky and from the sky to pulses. Two things that must not be mixed up: where the sky lies
// on the sensor, and what a pulse does to the star. Signs on the sky come from the first, corrections from
// the second, so that reversed wiring, mirrored cameras and the other side of the pier are no special cases.
#pragma once

#include <array>

#include "core/calibration/calibration.h"

namespace nordstjerna {

// Place of the star relative to the aim point: east and north positive, RA on the sky (× cos δ).
struct SkyError {
    double dra_arcsec = 0.0;
    double ddec_arcsec = 0.0;
};
inline SkyError operator+(const SkyError& a, const SkyError& b) {
    return {a.dra_arcsec + b.dra_arcsec, a.ddec_arcsec + b.ddec_arcsec};
}
inline SkyError operator-(const SkyError& a, const SkyError& b) {
    return {a.dra_arcsec - b.dra_arcsec, a.ddec_arcsec - b.ddec_arcsec};
}
inline SkyError operator*(double times, const SkyError& e) {
    return {times * e.dra_arcsec, times * e.ddec_arcsec};
}

// Signed pulse lengths; west and north positive.
struct PulsePair {
    double ra_ms = 0.0;
    double dec_ms = 0.0;
};

class GuideGeometry {
public:
    // dec: where guiding takes place; the rates may come from elsewhere.
    GuideGeometry(const Calibration& calibration, Angle dec);
    // As a run recorded it: what pulses do, ″/s on the sky: west pulse to the east and north, north pulse to
    // the east and north; and the rates along the axes. Places are on the sky already.
    GuideGeometry(const std::array<double, 4>& response, double raRate_arcsec_s, double decRate_arcsec_s);
    std::array<double, 4> response() const {
        return {response_[0][0], response_[1][0], response_[0][1], response_[1][1]};
    }

    SkyError toSky(double dx_px, double dy_px) const;
    // Pulse that moves the star by the opposite of the given error.
    PulsePair pulseAgainst(const SkyError& correction) const;
    // What a pulse does to the star's place on the sky.
    SkyError motionOf(const PulsePair& pulse) const;

    // Along its own axis on the sky, at this declination. Positive where a west pulse sends the star east,
    // and a north pulse sends it south; negative where the wiring or the firmware has it the other way.
    double raRate_arcsec_s() const { return raRate_; }
    double decRate_arcsec_s() const { return decRate_; }

private:
    double toSky_[2][2];    // ″ per px: rows east, north
    double response_[2][2]; // ″/s on the sky: rows east, north; columns west and north pulses
    double raRate_, decRate_;
};

} // namespace nordstjerna
