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

bool WireDevice::quietFor(double seconds) const {
    bool quiet = false;
    link_.look([&](const WireLink::Known& known) {
        const auto grew = known.grew.find(device_);
        quiet = grew != known.grew.end() && std::chrono::steady_clock::now() - grew->second >=
                                                std::chrono::duration<double>(seconds * link_.patience());
    });
    return quiet;
}

bool WireDevice::ready() const {
    constexpr double burst_s = 0.5;
    std::uint64_t links = 0;
    link_.look([&](const WireLink::Known& known) { links = known.links; });
    if (readyOn_ == links)
        return true;
    if (!quietFor(burst_s))
        return false;
    readyOn_ = links;
    return true;
}

Expected<WireVector> WireDevice::need(const std::string& vector) const {
    if (device_.empty())
        return problem(Text::say("No %1 is chosen.").arg(kind_),
                       Text::say("None of the server's devices has this role."),
                       Text::say("Choose one under Rig, Devices."));
    if (!link_.connected())
        return tl::unexpected(link_.absent());
    auto told = link_.told(device_, vector);
    const auto connection = link_.told(device_, wire::connection);
    if (!told && !connection)
        return transientProblem(
            Text::say("The %1 is not there.").arg(kind_),
            Text::say("The device server does not offer \"%1\".").arg(device_),
            Text::say("Start its driver at the server, or choose another device under Rig, Devices."));
    if (connection && !connection->vector.on("CONNECT")) {
        readyOn_ = 0;
        greet();
        const std::string words = link_.remark(device_);
        return transientProblem(Text::say("The %1 is not connected.").arg(kind_),
                                connection->vector.state == WireState::alert && !words.empty()
                                    ? Text::say("Its driver says: %1").arg(words)
                                    : Text::say("Its driver at the server has not reached it yet."),
                                Text::say("Check its cable and its power; Nordstjerna keeps trying."));
    }
    constexpr double slowDriver_s = 3.0;
    if (!ready() || (!told && !quietFor(slowDriver_s)))
        return transientProblem(Text::say("The %1 is not ready yet.").arg(kind_),
                                Text::say("Its driver is still telling what it can do."),
                                Text::say("Wait a moment; Nordstjerna keeps trying."));
    if (told)
        return std::move(told->vector);
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
