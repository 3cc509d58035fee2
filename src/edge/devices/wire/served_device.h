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
    // and each beginning of a motion, is read and told while this is held.
    std::unique_lock<std::mutex> inOrder() { return std::unique_lock(order_); }
    void lookNow() {
        const auto order = inOrder();
        look();
    }

    WireServer& server() { return *server_; }
    // In a thread of its own; stop: set when the work is to be broken off.
    void work(std::function<void(const StopFlag& stop)> what);
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
    std::mutex order_, lock_;
    std::condition_variable done_;
    std::vector<std::shared_ptr<StopFlag>> underWay_;
    Helpers helpers_{nullptr};
};

} // namespace nordstjerna
