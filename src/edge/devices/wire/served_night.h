// An evening's devices behind a device server, whatever they are: the simulated ones, for trying the wire.
#pragma once

#include "core/rig/rig.h"
#include "edge/devices/devices.h"
#include "edge/devices/helpers.h"
#include "edge/devices/wire/served_device.h"
#include "edge/devices/wire/wire_server.h"

namespace nordstjerna {

class ServedNight {
public:
    // devices: must outlive this. pace: seconds of their clock in one of the wall.
    ServedNight(const Devices& devices, const Rig& rig, std::function<double()> pace, WireListener listener);
    ~ServedNight(); // ends what is under way, and waits for it
    ServedNight(const ServedNight&) = delete;
    ServedNight& operator=(const ServedNight&) = delete;

    WireServer& server() { return *server_; }
    int port() const { return server_->port(); }

    // Names of its devices; those of the others: WirePartKind.
    static constexpr const char* mountName = "Night Mount";
    static constexpr const char* guideName = "Night Guide Camera";
    static constexpr const char* imagingName = "Night Imaging Camera";

private:
    void command(const WireMessage& message);
    void look();
    std::vector<std::unique_ptr<ServedDevice>> all_;
    Clock& clock_;
    std::function<double()> pace_;
    std::unique_ptr<WireServer> server_;
    std::mutex lock_;
    std::condition_variable wake_;
    bool ending_ = false;
    std::thread looking_;
};

} // namespace nordstjerna
