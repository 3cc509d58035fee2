// The star of a backlash test as one model of the whole of it: the load follows the motor through a backlash
// that every change of direction opens anew, at one rate and in one drift. Least squares over the dead times.
// One rate and one drift for all legs tell a late start from a gust better than each return could by itself.
#pragma once

#include <Eigen/Core>
#include <vector>

#include "core/motion/backlash.h"

namespace nordstjerna {

struct BacklashSample {
    double t_s, place_arcsec;
    size_t leg;
    double pulsed_s; // pulse time of this leg before it
};

// Pulses one way, then the other. The first leg may still have to take up what was left of the gap.
struct BacklashRecord {
    std::vector<BacklashSample> samples;
    std::vector<double> legs_s; // pulse time of each leg
    bool firstGoesSouth = false;
    bool cleared = true; // the first leg began with the gears engaged
    double step_s = 0.0; // the longest pulse

    double sign(size_t leg) const { return (leg % 2 == 0) == firstGoesSouth ? 1.0 : -1.0; } // south positive
};

// How the load follows after each change of direction.
struct BacklashLaw {
    BacklashShape shape = BacklashShape::none;
    double soft_s = 0.0; // gradual: the width over which it comes along
    double leap_s = 0.0; // gap: it sticks for this much longer, then leaps to where a gap leaves it
    std::vector<double> deadTime_s; // by leg; nothing where it is none, nor before a cleared first leg
};

struct BacklashFit {
    BacklashLaw law;
    double level_arcsec = 0.0;
    double rate_arcsec_s = 0.0; // south positive
    double drift_arcsec_s = 0.0;
    double squares = 1e300;
    int parameters = 3;

    // Schwarz's criterion (1978, Ann. Stat. 6): the lowest is the likeliest law.
    double cost(size_t samples) const;
};

// The best fit of this shape. A jump may come after a gap: its law is then that of a gap with a leap.
BacklashFit fitBacklash(const BacklashRecord& record, BacklashShape shape);

// The motor's way as the load has it, s of pulse, south positive.
double loadAt(const BacklashRecord& record, const BacklashLaw& law, const BacklashSample& s);

// As a reader knows it.
BacklashShape shapeOf(const BacklashLaw& law);

// The pulse time that a change of direction costs, s: where the axis comes along softly, what it never makes
// good; so a gap and a soft return that look alike cost alike.
double lostTime(const BacklashLaw& law, size_t leg);

// Covariance of level, rate, drift and the lost time of each leg, for a scatter of one; one that is not
// fitted has none.
Eigen::MatrixXd backlashCovariance(const BacklashRecord& record, const BacklashFit& fit);

} // namespace nordstjerna
