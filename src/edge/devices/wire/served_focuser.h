// A focuser behind a device server.
#pragma once

#include "edge/devices/focuser.h"
#include "edge/devices/wire/served_device.h"

namespace nordstjerna {

class ServedFocuser final : public ServedDevice {
public:
    ServedFocuser(std::string name, Focuser& focuser);

protected:
    std::vector<WireVector> vectors() override;
    void take(const WireVector& command) override;
    void look() override;

private:
    Focuser& focuser_;
};

} // namespace nordstjerna
