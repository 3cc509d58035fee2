// Port: time as the procedures live it.
#pragma once

#include <atomic>

#include "core/sky/instant.h"

namespace nordstjerna {

// Set from any thread to break off whatever waits.
using StopFlag = std::atomic<bool>;

class Clock {
public:
    virtual ~Clock() = default;
    virtual Instant now() const = 0;
    // Returns false when broken off early.
    virtual bool sleep(double seconds, const StopFlag& halt) = 0;
};

} // namespace nordstjerna
