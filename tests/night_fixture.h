// Simulated nights for tests, on a clock that jumps.
#pragma once

#include <QtGlobal>

#include "edge/devices/sim/scenario.h"
#include "edge/platesolve/star_index.h"

inline std::shared_ptr<nordstjerna::StarIndex> sharedIndex() {
    static const auto index = nordstjerna::StarIndex::loadDefault();
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

// The demo rig without any fault of the mount, and without air to bend the light.
inline nordstjerna::Scenario perfectScenario() {
    nordstjerna::Scenario s = demoScenario();
    s.axisEast_arcmin = s.axisHigh_arcmin = 0.0;
    s.cone_arcmin = s.syncRa_arcmin = s.syncDec_arcmin = 0.0;
    s.raBacklash_arcsec = s.decBacklash_arcsec = 0.0;
    s.guideRateError = s.settle_arcsec = 0.0;
    s.leverStick_arcmin = s.leverCoupling = 0.0;
    s.periodic.clear();
    s.rig.site.pressure_hpa = 0.0;
    return s;
}
