// Port: the guide loop as a procedure sees it that runs beside it. Commands block until done.
#pragma once

#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

class GuideLink {
public:
    virtual ~GuideLink() = default;
    // See GuideStep. Failures: what keeps the loop from running, or that it has ended.
    virtual Expected<GuideAnswered> start(const StopFlag& halt) = 0;
    virtual Expected<GuideAnswered> stop(const StopFlag& halt) = 0;
    virtual Expected<GuideAnswered> dither(const SkyError& by, const SettleRule& settle,
                                           const StopFlag& halt) = 0;
    virtual Expected<GuideAnswered> follow(const SkyError& arcsec_min) = 0;
    virtual bool running() const = 0;
    // Of the looks between two moments of the clock that nobody sets (Clock::steady_s).
    virtual GuideShare during(double from_s, double to_s) const = 0;
};

} // namespace nordstjerna
