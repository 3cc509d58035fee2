#include "edge/devices/wire/served_device.h"
#include "edge/devices/wire/wire_names.h"

#include <algorithm>

#include "edge/runner.h"

namespace nordstjerna {

WireVector ServedDevice::vector(const std::string& vectorName, WireKind kind, bool writable,
                                std::vector<WireElement> elements) const {
    WireVector v;
    v.device = name_;
    v.name = vectorName;
    v.kind = kind;
    v.writable = writable;
    v.group = "Main";
    v.label = vectorName;
    v.elements = std::move(elements);
    return v;
}

WireVector ServedDevice::switches(const std::string& vectorName, const std::vector<std::string>& names,
                                  const std::string& on, bool writable) const {
    std::vector<WireElement> elements;
    for (const std::string& n : names) {
        WireElement e;
        e.name = e.label = n;
        e.on = n == on;
        elements.push_back(e);
    }
    WireVector v = vector(vectorName, WireKind::switches, writable, std::move(elements));
    v.exclusive = !on.empty();
    return v;
}

WireElement ServedDevice::numberElement(const std::string& element, double value, double lowest,
                                        double highest) {
    WireElement e;
    e.name = e.label = element;
    e.number = value;
    e.lowest = lowest;
    e.highest = highest;
    return e;
}

WireElement ServedDevice::textElement(const std::string& element, const std::string& value) {
    WireElement e;
    e.name = e.label = element;
    e.text = value;
    return e;
}

void ServedDevice::offer(WireServer& server) {
    server_ = &server;
    server.publish(switches(wire::connection, {"CONNECT", "DISCONNECT"}, "DISCONNECT"));
    server.publish(
        vector(wire::driver, WireKind::text, false,
               {textElement("DRIVER_NAME", "Nordstjerna night"),
                textElement("DRIVER_EXEC", "nordstjerna-observatory"), textElement("DRIVER_VERSION", "1.0"),
                textElement("DRIVER_INTERFACE", std::to_string(interfaces_))}));
}

void ServedDevice::connect(bool on) {
    if (on != connected_) {
        if (!on) {
            connected_ = false;
            breakOff();
        }
        for (const WireVector& v : vectors())
            if (on)
                server_->publish(v);
            else
                server_->withdraw(name_, v.name);
        connected_ = on;
    }
    server_->select(name_, wire::connection, on ? "CONNECT" : "DISCONNECT", WireState::ok);
}

void ServedDevice::hear(const WireMessage& m) {
    if (m.vector.name == wire::connection)
        connect(m.vector.on("CONNECT"));
    else if (connected_)
        take(m.vector);
}

void ServedDevice::work(std::function<void(const StopFlag& stop)> what) {
    auto stop = std::make_shared<StopFlag>(false);
    {
        const std::scoped_lock guard(lock_);
        underWay_.push_back(stop);
    }
    helpers_.run([this, stop, what = std::move(what)] {
        what(*stop);
        const std::scoped_lock guard(lock_);
        std::erase(underWay_, stop);
        done_.notify_all();
    });
}

void ServedDevice::move(const std::string& vectorName,
                        std::function<Expected<void>(const StopFlag& stop)> what, Told told) {
    breakOff();
    {
        const std::scoped_lock order(order_);
        ++moves_;
        server_->update(name_, vectorName, WireState::busy);
    }
    work([this, vectorName, what = std::move(what), told = std::move(told)](const StopFlag& stop) {
        Expected<void> done;
        {
            const std::scoped_lock after(moving_); // the former has come to rest
            done = stop ? tl::unexpected(haltedProblem()) : what(stop);
            --moves_;
        }
        if (!done && !done.error().userRequested)
            server_->update(name_, vectorName, WireState::alert, {}, done.error().briefly().english());
        lookNow();
        if (told)
            told(done);
    });
}

void ServedDevice::breakOff() {
    const std::scoped_lock guard(lock_);
    for (const auto& stop : underWay_)
        *stop = true;
}

void ServedDevice::end() {
    connected_ = false;
    breakOff();
    std::unique_lock wait(lock_);
    done_.wait(wait, [this] { return underWay_.empty(); });
}

} // namespace nordstjerna
