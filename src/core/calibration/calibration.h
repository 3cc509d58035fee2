// Guide rates from a calibration: how far and in which direction the star moves on the sensor per
// millisecond of pulse, for both axes, with the Dec backlash that the return leg shows.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/sky/directions.h"

namespace nordstjerna {

enum class Leg { west, east, north, south };
const char* legName(Leg leg);

struct CalibrationSample {
    double t_s = 0.0;
    double x = 0.0; // star on the sensor after this row's pulse, px
    double y = 0.0;
    Leg leg = Leg::west;
    double pulse_ms = 0.0; // positive; 0 in the first row of a leg
};

// What the calibration was taken with; expectations follow from it.
struct CalibrationSetup {
    double scale_arcsec_px = 1.0;
    double guideRateRa = 0.5;
    double guideRateDec = 0.5;
    Angle dec; // of the star
    double hourAngle_h = 0.0;
    std::string side; // of the meridian: "east" or "west"
    int bin = 1;
    double wormPeriod_s = 0.0; // 0: not known
    // Where a star lies that is farther east, or north, on the sky: angles on the sensor from +x towards +y,
    // by a solved frame; absent when none was solved.
    std::optional<double> east_deg, north_deg;
    double directionSigma_deg = 0.1; // of both, one standard deviation
    bool decMotor = true;            // false: only RA was measured; Dec is taken as the rig promises

    double expectedRaPxS() const; // at declination 0
    double expectedDecPxS() const;
};

struct AxisRate {
    Measured rate_px_s; // RA: carried to declination 0
    Measured angle_deg; // of the star's motion under west (RA) or north (Dec) pulses, from +x towards +y
    int steps = 0;      // pulses of the outward leg
};

struct LegFit {
    Leg leg = Leg::west;
    int steps = 0;
    double travel_px = 0.0;
    double roughness_px = 0.0;    // rms of the star about the fitted line, along and across
    std::vector<double> along_px; // of each of its samples from the fit, in the leg's direction
};

// What pulses do against what they should, known only when a solved frame told the directions.
enum class PulseSense {
    unknown,
    right,
    raReversed,  // west pulses carry the star west
    decReversed, // north pulses carry it north
    bothReversed,
    swapped // RA pulses move it in declination and the other way round
};

enum class CalibrationVerdict { good, usable, bad };
const char* verdictName(CalibrationVerdict v);

struct Calibration {
    AxisRate ra;
    AxisRate dec;
    Measured orthogonality_deg; // departure from a right angle, without sign
    Measured decBacklash_ms;    // dead time of the return leg
    Measured drift_px_min;      // of the star while calibrating
    bool mirrored =
        false; // the north direction is a quarter turn clockwise, not counter-clockwise, from west
    PulseSense sense = PulseSense::unknown;
    // Carried across the pier to the side where the mount hangs now, and nobody has seen yet which way Dec
    // pulses work there.
    bool decUnproven = false;
    std::vector<LegFit> legs;
    CalibrationVerdict verdict = CalibrationVerdict::bad;
    CalibrationSetup setup;
    std::vector<CalibrationSample> samples;
};

// Where a star lies on the sensor that is farther east, or north, on the sky; angles from +x towards +y. From
// a solved frame where there is one, otherwise from the pulses, taken to be wired rightly.
struct SkyOnSensor {
    double east_deg = 0.0;
    double north_deg = 90.0;
};
SkyOnSensor skyOnSensor(const Calibration& calibration);

// Pulses of the shortest outward leg that was measured.
int shortestLeg(const Calibration& calibration);

// Fits all legs together: start, drift, both rate vectors, and the dead times of the Dec legs, by least
// squares with covariance. The errors allow for slow air and, along RA, for a worm that turns meanwhile (it
// lengthens or shortens the RA legs and sways the Dec legs sideways). Without a Dec motor there are the two
// RA legs alone. Fails when a leg is missing, has no pulses, or did not move.
Expected<Calibration> fitCalibration(const std::vector<CalibrationSample>& samples,
                                     const CalibrationSetup& setup);

} // namespace nordstjerna
