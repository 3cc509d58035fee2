#include "core/procedure/dark_taking.h"

#include "core/base/format.h"

namespace nordstjerna {

Step DarkTaking::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (const auto* taken = std::get_if<FrameTaken>(&event.what)) {
        // The first one that is not dark tells at once that the cover is off.
        if (const auto dark = checkDark(*taken->frame); !dark)
            return FailStep{dark.error()};
        frames_.push_back(*taken->frame);
        if (static_cast<int>(frames_.size()) >= count_) {
            auto master = makeMasterDark(frames_);
            if (!master)
                return FailStep{master.error()};
            result_ = std::move(*master);
            return DoneStep{};
        }
    }
    ExposeStep step{exposure_s_, CameraRole::guide, false};
    step.raw = true;
    return step;
}

Progress DarkTaking::progress() const {
    Progress p;
    p.steps = {{"Darks", result_ ? ProgressStep::State::done : ProgressStep::State::running}};
    p.fraction = static_cast<double>(frames_.size()) / count_;
    p.timeLeft_s = (count_ - static_cast<double>(frames_.size())) * (exposure_s_ + 0.3);
    p.waitingFor = "dark " + std::to_string(frames_.size() + 1) + " of " + std::to_string(count_) + ", " +
                   formatNumber(exposure_s_, 1) + " s";
    return p;
}

} // namespace nordstjerna
