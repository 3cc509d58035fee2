#include "core/procedure/test_exposure.h"

namespace nordstjerna {

Step TestExposure::advance(const Event& event) {
    if (const auto* taken = std::get_if<ImageTaken>(&event.what)) {
        image_ = *taken;
        return DoneStep{};
    }
    if (const auto end = brokenOff(event))
        return *end;
    return ImageStep{exposure_s_};
}

Progress TestExposure::progress() const {
    Progress p;
    p.steps = {{Text::say("Expose"), image_ ? ProgressStep::State::done : ProgressStep::State::running}};
    p.fraction = -1.0;
    return p;
}

} // namespace nordstjerna
