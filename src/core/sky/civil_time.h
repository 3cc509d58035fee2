// The time that clocks at a site show: UTC and an offset that changes with summer time. What the zones of the
// world do is data of the system's; here it is a value.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/sky/instant.h"

namespace nordstjerna {

class CivilTime {
public:
    // From a moment on, until the next step.
    struct Step {
        Instant from;
        int offset_s = 0; // of the clock against UTC
        std::string name; // "CEST"
    };
    CivilTime() = default; // UTC
    // Steps in the order of time; the first holds before it, too.
    explicit CivilTime(std::vector<Step> steps);

    int offset_s(Instant t) const;
    std::string name(Instant t) const;
    std::string clock(Instant t) const; // 22:14
    std::string day(Instant t) const;   // 14 Oct 2026

    // The moment within a day from `from` on at which clocks show so many minutes past midnight. A time that
    // clocks show twice is meant the first time; one that they skip is the moment they skip it.
    Instant momentOf(double minutes, Instant from) const;
    // Whole hours on the clock from `from` to `to`.
    std::vector<Instant> hours(Instant from, Instant to) const;

private:
    const Step* at(Instant t) const;
    std::shared_ptr<const std::vector<Step>> steps_; // absent: UTC
};

} // namespace nordstjerna
