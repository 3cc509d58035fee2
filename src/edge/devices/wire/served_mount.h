// A mount behind a device server.
#pragma once

#include "core/rig/rig.h"
#include "edge/devices/mount.h"
#include "edge/devices/wire/served_device.h"

namespace nordstjerna {

class ServedMount final : public ServedDevice {
public:
    ServedMount(std::string name, Mount& mount, Clock& clock, const Rig& rig);

protected:
    std::vector<WireVector> vectors() override;
    void take(const WireVector& command) override;
    void look() override;

private:
    void goTo(const WireVector& place);
    void park(bool on);
    void pulse(const WireVector& command, bool ra);
    void setRate(const WireVector& command);
    void answer(const std::string& vector, const std::string& on, const Expected<void>& done,
                const std::string& before);
    Angle siderealTime() const;
    Mount& mount_;
    Clock& clock_;
    Rig rig_;
    std::mutex lock_;
    std::string use_ = "TRACK"; // of the place that comes next
    double ownRate_ = 0.0;      // fractions of the sidereal rate, on top of it
    bool tracking_ = false;     // as last told
};

} // namespace nordstjerna
