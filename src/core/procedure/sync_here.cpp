#include "core/procedure/sync_here.h"

#include "core/sky/local_place.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

Step SyncHere::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (const auto step = look_.next(event))
        return *step;
    if (off_) {
        synced_ = true;
        return DoneStep{};
    }
    // Where the frame looked stays the same against the ground only if the mount stands still; against the
    // stars only if it tracks.
    const Vec3 centre = look_.solved()->plane.centre;
    const Instant when = event.mount.tracking ? event.now : look_.solved()->when;
    const HourAngleDec truth = ObservedFrame(rig_.site, when).hourAngleDec(centre);
    off_ = separation(directionOf(rig_.site, truth), directionOf(rig_.site, event.mount.pointing));
    return SyncStep{truth};
}

Progress SyncHere::progress() const {
    using State = ProgressStep::State;
    Progress p;
    p.steps = {{Text::say("Look"), look_.solved() ? State::done : State::running},
               {Text::say("Sync"), synced_ ? State::done
                                   : off_  ? State::running
                                           : State::ahead}};
    p.fraction = -1.0;
    p.waitingFor = off_ ? Text::say("the mount to take it over") : look_.waitingFor();
    return p;
}

} // namespace nordstjerna
