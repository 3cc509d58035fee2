// Simulated nights for tests, on a clock that jumps.
#pragma once

#include <QtGlobal>

#include "core/calibration/calibration.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/scenario.h"
#include "edge/platesolve/star_index.h"

inline std::shared_ptr<nordstjerna::StarIndex> sharedIndex() {
    // What else is installed for solving changes nothing here.
    static const auto index = nordstjerna::StarIndex::loadDefault(nordstjerna::usualSkySeries());
    if (!index)
        qFatal("%s", index.error().text().c_str());
    return *index;
}

inline nordstjerna::Scenario demoScenario() {
    auto scenario = nordstjerna::readScenario(SOURCE_DIR "/resources/demo/night.json");
    if (!scenario)
        qFatal("%s", scenario.error().text().c_str());
    scenario->speed = 0.0;
    scenario->imagingFocus_um = 0.0; // as after a focus run
    scenario->cooling_c_h = 0.0;     // and as sharp all night
    scenario->choosesSide = false;   // the usual mount
    scenario->guideAside_arcmin = scenario->guideAbove_arcmin = 0.0;
    return *scenario;
}

// Pixels twice as large: the same field at a quarter of the work.
inline void coarsenGuideCamera(nordstjerna::Scenario& s) {
    s.rig.guideCamera.pixel_um *= 2.0;
    s.rig.guideCamera.width /= 2;
    s.rig.guideCamera.height /= 2;
}

// To a place south of the equator, with a free horizon.
inline void moveSouth(nordstjerna::Scenario& s) {
    s.rig.site.latitude = nordstjerna::Angle::fromDeg(-33.0);
    s.rig.horizon = {};
}

// A place good for measuring rates.
inline const nordstjerna::HourAngleDec nearEquator{nordstjerna::Angle::fromHours(-0.7),
                                                   nordstjerna::Angle::fromDeg(3)};

// The demo rig without any fault of the mount, and without air to bend the light.
inline nordstjerna::Scenario perfectScenario() {
    nordstjerna::Scenario s = demoScenario();
    s.axisEast_arcmin = s.axisHigh_arcmin = 0.0;
    s.cone_arcmin = s.syncRa_arcmin = s.syncDec_arcmin = 0.0;
    s.raBacklash_arcsec = s.decBacklash_arcsec = 0.0;
    s.guideRateError = s.settle_arcsec = 0.0;
    s.leverStick_arcmin = s.leverCoupling = 0.0;
    s.walkRa_arcsec = s.walkDec_arcsec = 0.0;
    s.pulses = {};
    s.wormPeriod_s = 0.0;
    s.periodic.clear();
    s.rig.site.pressure_hpa = 0.0;
    return s;
}

// Rates as the rig promises them; measuring them is another test's matter.
inline nordstjerna::Calibration promisedCalibration(const nordstjerna::Rig& rig, double roll_deg) {
    nordstjerna::Calibration r;
    r.setup.scale_arcsec_px = nordstjerna::scalesOf(rig).guide_arcsec_px;
    r.setup.guideRateRa = rig.mount.guideRateRa;
    r.setup.guideRateDec = rig.mount.guideRateDec;
    r.ra.rate_px_s = {r.setup.expectedDecPxS(), 0.01};
    r.dec.rate_px_s = {r.setup.expectedDecPxS(), 0.01};
    // +y at this position angle: north pulses send the star south, west pulses east.
    r.dec.angle_deg = {270.0 - roll_deg, 0.1};
    r.ra.angle_deg = {180.0 - roll_deg, 0.1};
    return r;
}
