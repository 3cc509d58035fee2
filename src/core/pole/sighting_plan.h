// Where to take sightings: places at one declination in the free sky, on one side of the meridian, chosen
// for the smallest predicted uncertainty of the axis.
#pragma once

#include <vector>

#include "core/pole/pole_error.h"
#include "core/rig/rig.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

struct PlannedArc {
    std::vector<HourAngleDec> places;   // in the order in which they are visited
    double predictedSigma_arcmin = 0.0; // of the axis in its worse direction
    double lowestAltitude_deg = 0.0;
    double span_deg = 0.0;
    double slewTime_s = 0.0; // from the first place to the last
    bool twoWindows = false; // the sky between the places is not free throughout
};

struct PlanWishes {
    int sightings = 3;
    double widestSpan_deg = 60.0;
    double lowestAltitude_deg = 30.0;
    double clearance_deg = 4.0; // above the horizon profile
    double sigmaDirection_arcsec = 1.0;
    double sigmaRoll_arcsec = 20.0;
};

// Uncertainties as the camera of this rig that solves gives them in ordinary seeing; some forty matched stars
// hold the rotation to a few hundredths of a pixel at the rim.
PlanWishes planWishesFor(const Rig& rig, int sightings, double exposure_s = 3.0);

// One arc if 12° or more are free; otherwise places in two separate windows of sky. Fails when even those
// cannot be had.
Expected<PlannedArc> planSightings(const Rig& rig, const PlanWishes& wishes = {});

// Sightings in equal steps between two hour angles at one declination, as a person may wish them. Fails when
// a place is not free or the pier side would change, and says which.
Expected<PlannedArc> arcBetween(const Rig& rig, const PlanWishes& wishes, Angle firstHourAngle,
                                Angle lastHourAngle, Angle dec);

// 1σ of the axis in its worse direction for sightings at the given places.
double predictedAxisSigma_arcmin(const Site& site, const std::vector<HourAngleDec>& places,
                                 double sigmaDirection_arcsec, double sigmaRoll_arcsec);

// Free by the horizon profile, the clearance and the lowest altitude.
bool placeIsFree(const Rig& rig, const PlanWishes& wishes, const HourAngleDec& place);

} // namespace nordstjerna
