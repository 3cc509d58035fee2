// One device of a server: what all kinds of them have in common.
#pragma once

#include "edge/devices/clock.h"
#include <atomic>

#include "edge/devices/wire/wire_link.h"

namespace nordstjerna {

class WireDevice {
public:
    // kind: as a person calls it, "mount". device: its name at the server; empty: none was chosen.
    WireDevice(WireLink& link, std::string device, Text kind)
        : link_(link), device_(std::move(device)), kind_(std::move(kind)) {}
    const std::string& device() const { return device_; }
    const Text& kind() const { return kind_; }
    WireLink& link() const { return link_; }

    // Asks the server's driver to connect its hardware where it has not yet; not more often than every few
    // seconds.
    void greet() const;

    // What it last told of this; a problem where it tells nothing of the kind, or is not there; one that
    // passes as long as its driver is still telling what it can do.
    Expected<WireVector> need(const std::string& vector) const;
    bool has(const std::string& vector) const { return link_.told(device_, vector).has_value(); }

    // Sends it and waits until the device has answered with `vector`, later and no longer busy, and until
    // `is` holds for it. what: "does not slew".
    struct Order {
        std::vector<WireMessage> messages;
        std::string vector;
        std::function<bool(const WireVector&)> is;
        double patience_s = 10.0; // by the wall
        Text what;                // went wrong, with a place for the device: "The %1 does not park."
        bool busyWillDo = false;  // the driver calls what was asked for, and is so, busy
    };
    Expected<void> carryOut(const Order& order, const StopFlag& halt) const;

    // The device said no; its own last words are the reason where it had any.
    Problem refused(const Text& what, bool transient = false) const;
    // It said neither yes nor no, or yes without having done it.
    Problem lied(const Text& what, const Text& why, const Text& remedy = {}) const;

private:
    WireLink& link_;
    std::string device_;
    Text kind_;
    // Nothing new of it was told for so long, on the present connection.
    bool quietFor(double seconds) const;
    // Its driver has told all that it can do, as far as one can know: until then what is missing may come.
    bool ready() const;
    mutable std::mutex lock_;
    mutable std::chrono::steady_clock::time_point greeted_{};
    mutable std::atomic<std::uint64_t> readyOn_{0}; // that connection of the link
};

} // namespace nordstjerna
