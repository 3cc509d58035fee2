// The devices of a server, put together for an evening: one link for commands and states, one for the frames
// of each camera, and a clock.
#pragma once

#include "core/rig/rig.h"
#include "edge/devices/devices.h"
#include "edge/devices/paced_clock.h"
#include "edge/devices/wire/wire_camera.h"
#include "edge/devices/wire/wire_cooler.h"
#include "edge/devices/wire/wire_kinds.h"
#include "edge/devices/wire/wire_mount.h"
#include "edge/platesolve/star_index.h"

namespace nordstjerna {

class WireNight {
public:
    // Waits a moment for the server, never fails: devices that do not answer say so when they are asked, and
    // are there as soon as they do.
    WireNight(const WireAddress& server, WireRoles roles, const Rig& rig, std::shared_ptr<StarIndex> index);

    // Ports, with plate solving by the star index. The cameras are there in any case; where no imaging camera
    // has a role it is absent.
    Devices devices();
    // The rig was changed. From any thread.
    void setRig(const Rig& rig);
    // All links are recorded from now on; null: no longer. The server is asked anew what it has, so that a
    // record begins with that.
    void setRecord(const std::shared_ptr<WireRecord>& record);
    PacedClock& clock() { return clock_; }
    WireLink& link() { return link_; }

private:
    WireLink link_;
    PacedClock clock_;
    std::shared_ptr<StarIndex> index_;
    WireMount mount_;
    WireCamera guide_;
    std::unique_ptr<WireCamera> imaging_;
    std::vector<std::unique_ptr<WirePart>> parts_; // focusers, filter wheel and the like
    std::unique_ptr<WireCooler> cooler_;
};

} // namespace nordstjerna
