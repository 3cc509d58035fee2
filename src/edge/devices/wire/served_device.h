// One device as a server offers it: its vectors, and what is done when a client commands it. Work that takes
// time is done in threads of its own; no client waits for it.
#pragma once

#include <atomic>
#include <condition_variable>
#include <mutex>
#include <string>

#include "edge/devices/clock.h"
#include "edge/devices/helpers.h"
#include "edge/devices/wire/wire_server.h"

namespace nordstjerna {

class ServedDevice {
public:
    ServedDevice(std::string name, unsigned interfaces) : name_(std::move(name)), interfaces_(interfaces) {}
    virtual ~ServedDevice() = default;
    const std::string& name() const { return name_; }

    // Once, before anything else: offers itself, not yet connected.
    void offer(WireServer& server);
    // In the thread of the client that gave it.
    void hear(const WireMessage& command);
    // A few times a second: tells what has changed.
    void lookAgain() {
        if (connected_)
            lookNow();
    }
    // Breaks off what is under way and waits for it.
    void end();

protected:
    virtual std::vector<WireVector> vectors() = 0; // once connected
    virtual void take(const WireVector& command) = 0;
    virtual void look() {} // called in order

    // What was read of the device before a command must not be told after the command's answer: each look,
    // and each beginning of a motion, is read and told in turn.
    void lookNow() {
        const std::scoped_lock order(order_);
        look();
    }

    WireServer& server() { return *server_; }
    // In a thread of its own; stop: set when the work is to be broken off.
    void work(std::function<void(const StopFlag& stop)> what);
    // The same for a motion of the device, whose state `vector` tells: busy until it is over, and an alert
    // where it failed. A motion takes the place of the one under way. told: last, with what came of it.
    using Told = std::function<void(const Expected<void>& done)>;
    void move(const std::string& vector, std::function<Expected<void>(const StopFlag& stop)> what,
              Told told = {});
    bool moves() const { return moves_ > 0; }
    // Whatever is under way now.
    void breakOff();

    WireVector vector(const std::string& vectorName, WireKind kind, bool writable,
                      std::vector<WireElement> elements) const;
    WireVector switches(const std::string& vectorName, const std::vector<std::string>& names,
                        const std::string& on, bool writable = true) const;
    static WireElement numberElement(const std::string& element, double value, double lowest = 0.0,
                                     double highest = 0.0);
    static WireElement textElement(const std::string& element, const std::string& value);

private:
    void connect(bool on);
    std::string name_;
    unsigned interfaces_;
    WireServer* server_ = nullptr;
    std::atomic<bool> connected_{false};
    std::mutex order_, moving_, lock_;
    std::atomic<int> moves_{0};
    std::condition_variable done_;
    std::vector<std::shared_ptr<StopFlag>> underWay_;
    Helpers helpers_{nullptr};
};

} // namespace nordstjerna
