// Port: time as the procedures live it.
#pragma once

#include <atomic>
#include <memory>

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

    // The place of a thread that lives by this clock together with others. A clock that jumps goes on only
    // when all who have a seat wait, to the one that is due first: so two threads are as deterministic as
    // one. Whoever starts a thread reserves its seat, the thread itself sits down, and the seat is given up
    // with the object.
    class Seat {
    public:
        virtual ~Seat() = default;
        virtual void sit() = 0; // in the thread that lives here; returns when it is its turn
    };
    // Absent where time runs by itself.
    virtual std::unique_ptr<Seat> reserve() { return nullptr; }
};

} // namespace nordstjerna
