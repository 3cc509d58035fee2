// The simulated night behind a device server in this process, and the evening's devices that reach it over
// the wire.
#pragma once

#include "edge/devices/observatory.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/devices/wire/served_night.h"
#include "edge/devices/wire/wire_night.h"
#include "night_fixture.h"

inline nordstjerna::WireListener freeListener() {
    auto listener = nordstjerna::WireListener::listen(0, false);
    if (!listener)
        qFatal("%s", listener.error().text().c_str());
    return std::move(*listener);
}

inline nordstjerna::WireRoles servedRoles() {
    using Night = nordstjerna::ServedNight;
    return {Night::mountName,          Night::guideName, Night::imagingName, {},
            Night::imagingFocuserName, Night::wheelName, Night::rotatorName, {}};
}

struct ServedSkerry {
    nordstjerna::SimulatedNight night;
    nordstjerna::ServedNight served;
    explicit ServedSkerry(const nordstjerna::Scenario& scenario)
        : night(scenario, sharedIndex()),
          served(
              night.devices(), scenario.rig, [this] { return night.clock().speed(); }, freeListener()) {}
    nordstjerna::WireAddress address() const { return {"localhost", served.port()}; }
};
