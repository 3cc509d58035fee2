#include "edge/devices/wire/wire_cooler.h"

#include <algorithm>

#include "edge/devices/wire/wire_names.h"

namespace nordstjerna {

namespace {
constexpr double driverAnswer_s = 10.0;
}

Expected<CoolerState> WireCooler::state() const {
    camera_.greet();
    const auto told = camera_.need(wire::temperature);
    if (!told)
        return tl::unexpected(told.error());
    CoolerState s;
    s.sensor_c = told->number(wire::temperatureValue);
    constexpr double coldest = -150.0, warmest = 100.0;
    if (!(s.sensor_c > coldest && s.sensor_c < warmest))
        return tl::unexpected(camera_.lied(Text::say("The %1 reports an impossible temperature."),
                                           Text::say("Its driver tells no sensible number.")));
    {
        const std::scoped_lock guard(lock_);
        s.target_c = target_;
    }
    const auto on = camera_.link().told(camera_.device(), wire::cooler);
    s.on = on ? on->vector.on(wire::coolerOn) : s.target_c.has_value();
    if (const auto power = camera_.link().told(camera_.device(), wire::coolerPower))
        if (const WireElement* e = power->vector.find(wire::coolerPowerValue))
            s.power = std::clamp(e->number / 100.0, 0.0, 1.0);
    return s;
}

// Drivers are busy until the temperature is reached; that is for the ramp to see.
Expected<void> WireCooler::hold(double target_c) {
    WireDevice::Order order;
    if (camera_.has(wire::cooler) &&
        !camera_.link().told(camera_.device(), wire::cooler)->vector.on(wire::coolerOn))
        order.messages.push_back(wireSwitch(camera_.device(), wire::cooler, wire::coolerOn));
    order.messages.push_back(
        wireCommand(camera_.device(), wire::temperature, {{wire::temperatureValue, target_c}}));
    order.vector = wire::temperature;
    order.patience_s = driverAnswer_s;
    order.what = Text::say("The %1 did not take its temperature.");
    order.busyWillDo = true;
    const auto done = camera_.carryOut(order, neverHalted);
    if (done) {
        const std::scoped_lock guard(lock_);
        target_ = target_c;
    }
    return done;
}

Expected<void> WireCooler::off() {
    if (!camera_.has(wire::cooler))
        return {}; // it is warm by now, and has no switch
    const auto done = camera_.carryOut({{wireSwitch(camera_.device(), wire::cooler, wire::coolerOff)},
                                        wire::cooler,
                                        [](const WireVector& v) { return !v.on(wire::coolerOn); },
                                        driverAnswer_s,
                                        Text::say("The %1 was not switched off."),
                                        true},
                                       neverHalted);
    if (done) {
        const std::scoped_lock guard(lock_);
        target_.reset();
    }
    return done;
}

} // namespace nordstjerna
