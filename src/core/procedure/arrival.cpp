#include "core/procedure/arrival.h"

namespace nordstjerna {

Step Arrival::begin(SlewStep slew, double settle_s) {
    settle_s_ = settle_s;
    stage_ = Stage::slewing;
    return slew;
}

std::optional<Step> Arrival::next() {
    switch (stage_) {
    case Stage::slewing:
        // Not before: at its limit a mount does not track, and must be sent away all the same.
        stage_ = Stage::tracking;
        return TrackingStep{true};
    case Stage::tracking:
        stage_ = Stage::settling;
        return WaitStep{settle_s_, Text::say("the mount settles")};
    case Stage::settling:
    case Stage::there:
        stage_ = Stage::there;
        break;
    }
    return std::nullopt;
}

} // namespace nordstjerna
