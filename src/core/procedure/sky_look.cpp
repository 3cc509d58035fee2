#include "core/procedure/sky_look.h"

namespace nordstjerna {

Step SkyLook::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (const auto step = look_.next(event))
        return *step;
    return DoneStep{};
}

Progress SkyLook::progress() const {
    Progress p;
    p.steps = {
        {Text::say("Look"), look_.solved() ? ProgressStep::State::done : ProgressStep::State::running}};
    p.fraction = -1.0;
    p.waitingFor = look_.waitingFor();
    return p;
}

} // namespace nordstjerna
