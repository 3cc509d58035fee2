#include "edge/devices/lane.h"

namespace nordstjerna {

Problem Lane::silent() const {
    return {Text::say("The %1 does not answer.").arg(device_),
            Text::say("It got a command and did not answer."), Text::say("Check its cable and its power."),
            true};
}

Problem Lane::broken(const std::string& words) const {
    return {Text::say("The %1's driver failed.").arg(device_),
            Text::say("Unexpected failure: %1.").arg(words),
            Text::say("Nordstjerna tries again. If it keeps failing, connect the device again."), true};
}

void Lane::hold(std::shared_ptr<Clock::Errand> errand) {
    const std::scoped_lock guard(lock_);
    out_.push_back(std::move(errand));
}

bool Lane::held() {
    const std::scoped_lock guard(lock_);
    std::erase_if(out_, [](const auto& errand) { return errand->over(); });
    return !out_.empty();
}

} // namespace nordstjerna
