// To a place, and to rest there: slew, track, settle. For procedures that go on with something else then.
#pragma once

#include "core/procedure/procedure.h"

namespace nordstjerna {

class Arrival {
public:
    // The first step.
    Step begin(SlewStep slew, double settle_s);
    // What follows when the one before is done; nothing: it rests there.
    std::optional<Step> next();

    bool slewing() const { return stage_ == Stage::slewing; }
    bool moving() const { return stage_ == Stage::slewing || stage_ == Stage::tracking; }

private:
    enum class Stage { slewing, tracking, settling, there } stage_ = Stage::there;
    double settle_s_ = 0.0;
};

} // namespace nordstjerna
