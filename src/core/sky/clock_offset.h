// How far the mount's clock is from this program's, from the sidereal time it tells: each answer was true
// somewhere between the question and its arrival, and what all answers allow is narrower than one alone.
#pragma once

#include <deque>
#include <optional>

#include "core/base/measured.h"

namespace nordstjerna {

class ClockOffset {
public:
    // Hours by which the mount would be ahead, had its answer been true when it was asked, and when it was
    // heard (siderealAhead_h).
    void hear(double whenAsked_h, double whenHeard_h);
    void clear() { latest_.clear(); }
    // s, positive where the mount's is ahead; absent before some answers, or where they contradict each
    // other by more than a clock's rounding.
    std::optional<Measured> ahead_s() const;

private:
    struct Allowed {
        double from_s, to_s;
    };
    std::deque<Allowed> latest_;
};

} // namespace nordstjerna
