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
    using namespace nordstjerna;
    WireRoles roles;
    roles.mount = ServedNight::mountName;
    roles.guideCamera = ServedNight::guideName;
    roles.imagingCamera = ServedNight::imagingName;
    for (const WirePartKind& kind : wirePartKinds())
        if (kind.role != &WireRoles::guideFocuser)
            roles.*kind.role = kind.servedName;
    return roles;
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
