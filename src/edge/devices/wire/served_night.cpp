#include "edge/devices/wire/served_night.h"

#include "edge/devices/wire/served_camera.h"
#include "edge/devices/wire/served_clock.h"
#include "edge/devices/wire/served_mount.h"
#include "edge/devices/wire/wire_kinds.h"

namespace nordstjerna {

namespace {
using namespace std::chrono_literals;
constexpr auto betweenLooks = 200ms; // two looks at the devices

// Nothing but the time that the devices live in.
class ServedTime final : public ServedDevice {
public:
    ServedTime(Clock& clock, std::function<double()> pace)
        : ServedDevice(servedClock::device, 0), clock_(clock), pace_(std::move(pace)) {}
    void publish(WireServer& server) {
        WireVector v = vector(servedClock::vector, WireKind::number, false,
                              {numberElement(servedClock::now, clock_.now().unix_s),
                               numberElement(servedClock::pace, pace_())});
        v.state = WireState::ok;
        server.publish(v);
    }

protected:
    std::vector<WireVector> vectors() override { return {}; }
    void take(const WireVector&) override {}

private:
    Clock& clock_;
    std::function<double()> pace_;
};
} // namespace

ServedNight::ServedNight(const Devices& devices, const Rig& rig, std::function<double()> pace,
                         WireListener listener)
    : clock_(*devices.clock), pace_(std::move(pace)) {
    all_.push_back(std::make_unique<ServedMount>(mountName, *devices.mount, clock_, rig));
    if (devices.guideCamera)
        all_.push_back(
            std::make_unique<ServedCamera>(guideName, *devices.guideCamera, clock_, rig.guideCamera, true));
    if (devices.imagingCamera)
        all_.push_back(std::make_unique<ServedCamera>(imagingName, *devices.imagingCamera, clock_,
                                                      rig.imagingCamera, false, devices.imagingCooler));
    for (const WirePartKind& kind : wirePartKinds())
        if (auto part = kind.served(kind.servedName, devices))
            all_.push_back(std::move(part));
    server_ = std::make_unique<WireServer>(std::move(listener), [this](const WireMessage& m) { command(m); });
    for (const auto& device : all_)
        device->offer(*server_);
    looking_ = std::thread([this] { look(); });
}

ServedNight::~ServedNight() {
    {
        const std::scoped_lock guard(lock_);
        ending_ = true;
    }
    wake_.notify_all();
    looking_.join();
    for (const auto& device : all_)
        device->end();
    server_.reset(); // its clients command the devices
}

void ServedNight::command(const WireMessage& m) {
    for (const auto& device : all_)
        if (device->name() == m.vector.device)
            device->hear(m);
}

void ServedNight::look() {
    ServedTime time(clock_, pace_);
    std::unique_lock wait(lock_);
    while (!ending_) {
        wait.unlock();
        time.publish(*server_);
        for (const auto& device : all_)
            device->lookAgain();
        wait.lock();
        wake_.wait_for(wait, betweenLooks, [this] { return ending_; });
    }
}

} // namespace nordstjerna
