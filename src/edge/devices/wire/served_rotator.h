// A rotator behind a device server.
#pragma once

#include "edge/devices/rotator.h"
#include "edge/devices/wire/served_device.h"

namespace nordstjerna {

class ServedRotator final : public ServedDevice {
public:
    ServedRotator(std::string name, Rotator& rotator);

protected:
    std::vector<WireVector> vectors() override;
    void take(const WireVector& command) override;
    void look() override;

private:
    Rotator& rotator_;
};

} // namespace nordstjerna
