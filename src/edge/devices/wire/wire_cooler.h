// The cooler of a camera behind a device server.
#pragma once

#include "edge/devices/cooler.h"
#include "edge/devices/wire/wire_device.h"

namespace nordstjerna {

class WireCooler final : public Cooler {
public:
    WireCooler(WireLink& link, const std::string& camera) : camera_(link, camera, Text::say("cooler")) {}

    Expected<CoolerState> state() const override;
    Expected<void> hold(double target_c) override;
    Expected<void> off() override;

private:
    WireDevice camera_;
    mutable std::mutex lock_;
    std::optional<double> target_; // as last told by us
};

} // namespace nordstjerna
