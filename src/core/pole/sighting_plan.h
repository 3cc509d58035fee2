// Where to take sightings: an arc in RA at one declination in the free sky, on one side of the meridian,
// chosen for the smallest predicted uncertainty of the axis.
#pragma once

#include <vector>

#include "core/pole/pole_error.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct PlannedArc {
    std::vector<HourAngleDec> places; // in the order in which they are visited
    Measured predicted_arcmin;        // value: unused (0); sigma: of the axis in its worse direction
    double lowestAltitude_deg = 0.0;
    double span_deg = 0.0;
    double slewTime_s = 0.0; // from the first place to the last
};

struct PlanWishes {
    int sightings = 3;
    double widestSpan_deg = 60.0;
    double lowestAltitude_deg = 30.0;
    double clearance_deg = 4.0; // above the horizon profile
    double sigmaDirection_arcsec = 1.0;
    double sigmaRoll_arcsec = 20.0;
};

// Uncertainties as this rig's guide camera gives them in ordinary seeing: the air moves the whole field by
// about half an arcsecond, and some forty matched stars hold the rotation to a few hundredths of a pixel at
// the rim.
PlanWishes planWishesFor(const Rig& rig, int sightings);

// Fails when no arc of at least 12° is free.
Expected<PlannedArc> planSightings(const Rig& rig, const PlanWishes& wishes = {});

// 1σ of the axis in its worse direction for sightings at the given places.
double predictedAxisSigma_arcmin(const Site& site, const std::vector<HourAngleDec>& places,
                                 double sigmaDirection_arcsec, double sigmaRoll_arcsec);

// Direction, ENU, that a well-aligned mount looks to at the given hour angle and declination.
Vec3 directionOf(const Site& site, const HourAngleDec& hd);

} // namespace nordstjerna
