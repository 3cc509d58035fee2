// Live adjusting: both lever angles from one sighting. Turning the levers rotates the whole mount, azimuth
// about the vertical and altitude about the wedge's horizontal axis, so a sighting differs from where
// tracking alone would have carried the camera by exactly that rotation: C = K · Rot(axis, tracking) · C_ref.
// Two small rotations are allowed for besides, each with a prior: a base that is not level (third axis), and
// the RA gear running unevenly. What none of the four explains tells of a moved axis or a bump.
#pragma once

#include "core/pole/axis_fit.h"

namespace nordstjerna {

struct LeverReference {
    Sighting sighting; // taken with the axis at `axis`
    Vec3 axis = Vec3::UnitZ();
    Eigen::Matrix2d covariance = Eigen::Matrix2d::Zero(); // of the axis along (east, up), arcsec²
};

struct LeverAssumptions {
    double levelSigma_deg = 3.0;    // how far out of level the base may stand
    double raSlipSigma_arcsec = 12; // uneven running of the RA gear
};

struct LeverFit {
    Measured azimuth_arcmin;  // since the reference; angle × cos(latitude), positive towards east
    Measured altitude_arcmin; // positive upwards
    AxisFit axis;             // where it points now, with covariance
    double unexplained = 0.0; // of the motion, in standard deviations; above 4 something else moved
};

LeverFit fitLevers(const LeverReference& reference, const Sighting& now, const Site& site,
                   const LeverAssumptions& assumptions = {});

// 1σ with which one sighting at a place shows each lever, arcmin on the sky.
struct LeverSight {
    double azimuth_arcmin = 0.0;
    double altitude_arcmin = 0.0;
};
LeverSight leverSight(const Site& site, const HourAngleDec& place, double sigmaDirection_arcsec,
                      double sigmaRoll_arcsec);

} // namespace nordstjerna
