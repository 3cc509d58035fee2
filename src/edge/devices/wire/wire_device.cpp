#include "edge/devices/wire/wire_device.h"

#include "edge/devices/wire/wire_names.h"

namespace nordstjerna {

namespace {
using namespace std::chrono_literals;
constexpr auto betweenGreetings = 5s;
} // namespace

void WireDevice::greet() const {
    if (device_.empty())
        return;
    const auto connection = link_.told(device_, wire::connection);
    if (!connection || connection->vector.on("CONNECT") || connection->vector.state == WireState::busy)
        return;
    {
        const std::scoped_lock guard(lock_);
        const auto now = std::chrono::steady_clock::now();
        if (now - greeted_ < betweenGreetings)
            return;
        greeted_ = now;
    }
    (void)link_.send(wireSwitch(device_, wire::connection, "CONNECT"));
}

Expected<WireVector> WireDevice::need(const std::string& vector) const {
    if (device_.empty())
        return problem(Text::say("No %1 is chosen.").arg(kind_),
                       Text::say("None of the server's devices has this role."),
                       Text::say("Choose one under Rig, Devices."));
    if (auto told = link_.told(device_, vector))
        return std::move(told->vector);
    if (!link_.connected())
        return tl::unexpected(link_.absent());
    const auto connection = link_.told(device_, wire::connection);
    if (!connection)
        return transientProblem(
            Text::say("The %1 is not there.").arg(kind_),
            Text::say("The device server does not offer \"%1\".").arg(device_),
            Text::say("Start its driver at the server, or choose another device under Rig, Devices."));
    if (!connection->vector.on("CONNECT")) {
        greet();
        const std::string words = link_.remark(device_);
        return transientProblem(Text::say("The %1 is not connected.").arg(kind_),
                                connection->vector.state == WireState::alert && !words.empty()
                                    ? Text::say("Its driver says: %1").arg(words)
                                    : Text::say("Its driver at the server has not reached it yet."),
                                Text::say("Check its cable and its power; Nordstjerna keeps trying."));
    }
    return problem(Text::say("The %1 cannot do this.").arg(kind_),
                   Text::say("Its driver \"%1\" does not offer %2.").arg(device_).arg(vector),
                   Text::say("Use another driver, or do it by hand."));
}

Problem WireDevice::refused(const Text& what, bool transient) const {
    const std::string words = link_.remark(device_);
    return {what.arg(kind_),
            words.empty() ? Text::say("Its driver refused the command.")
                          : Text::say("Its driver says: %1").arg(words),
            "", transient};
}

Problem WireDevice::lied(const Text& what, const Text& why, const Text& remedy) const {
    return {what.arg(kind_), why,
            remedy.empty() ? Text::say("Check the device; if it goes on, its driver is at fault.") : remedy,
            true};
}

Expected<void> WireDevice::carryOut(const Order& order, const StopFlag& halt) const {
    if (auto there = need(order.vector); !there)
        return tl::unexpected(there.error());
    const std::uint64_t before = link_.serial();
    if (auto sent = link_.send(order.messages); !sent)
        return sent;
    WireVector last;
    bool answered = false, refusal = false;
    const bool done = link_.await(
        [&](const WireLink::Known& known) {
            const auto* told = known.find(device_, order.vector);
            if (!told || told->serial <= before)
                return false;
            last = told->vector;
            answered = true;
            refusal = told->alert > before;
            return refusal ||
                   ((order.busyWillDo || last.state != WireState::busy) && (!order.is || order.is(last)));
        },
        order.patience_s, halt);
    if (done && refusal)
        return tl::unexpected(refused(order.what));
    if (done)
        return {};
    if (!link_.connected())
        return tl::unexpected(link_.absent());
    if (!answered)
        return tl::unexpected(lied(order.what, Text::say("Its driver did not answer the command.")));
    if (last.state == WireState::busy)
        return tl::unexpected(lied(order.what, Text::say("Its driver has been busy with it for too long.")));
    return tl::unexpected(
        lied(order.what, Text::say("Its driver says that all is well, but nothing has changed.")));
}

} // namespace nordstjerna
