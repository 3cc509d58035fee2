#include "edge/devices/device_queue.h"

namespace nordstjerna {

Problem DeviceQueue::silent() const {
    return {Text::say("The %1 does not answer.").arg(device_),
            Text::say("It got a command and did not answer."), Text::say("Check its cable and its power."),
            true};
}

Problem DeviceQueue::broken(const std::string& words) const {
    return {Text::say("The %1's driver failed.").arg(device_),
            Text::say("Unexpected failure: %1.").arg(words),
            Text::say("Nordstjerna tries again. If it keeps failing, connect the device again."), true};
}

void DeviceQueue::hold(std::shared_ptr<Clock::PendingCall> pendingCall) {
    const std::scoped_lock guard(lock_);
    out_.push_back(std::move(pendingCall));
}

bool DeviceQueue::held() {
    const std::scoped_lock guard(lock_);
    std::erase_if(out_, [](const auto& pendingCall) { return pendingCall->over(); });
    return !out_.empty();
}

} // namespace nordstjerna
