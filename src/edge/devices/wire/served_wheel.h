// A filter wheel behind a device server.
#pragma once

#include "edge/devices/filter_wheel.h"
#include "edge/devices/wire/served_device.h"

namespace nordstjerna {

class ServedWheel final : public ServedDevice {
public:
    ServedWheel(std::string name, FilterWheel& wheel);

protected:
    std::vector<WireVector> vectors() override;
    void take(const WireVector& command) override;
    void look() override;

private:
    FilterWheel& wheel_;
};

} // namespace nordstjerna
