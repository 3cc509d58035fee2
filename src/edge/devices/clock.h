// Port: time as the procedures live it.
#pragma once

#include <atomic>
#include <memory>

#include "core/sky/instant.h"

namespace nordstjerna {

// Set from any thread to break off whatever waits.
using StopFlag = std::atomic<bool>;
// For what nobody breaks off.
inline const StopFlag neverHalted{false};

class Clock {
public:
    virtual ~Clock() = default;
    virtual Instant now() const = 0;
    // Of a clock that is never set: goes on evenly whatever now() does.
    virtual double steady_s() const { return now().unix_s; }
    // Returns false when broken off early.
    virtual bool sleep(double seconds, const StopFlag& halt) = 0;

    // The turn of a thread that lives by this clock together with others. A clock that jumps goes on only
    // when all who have a turn wait, to the one that is due first: so two threads are as deterministic as
    // one. Whoever starts a thread reserves its turn, the thread itself takes it, and it is given up with
    // the object.
    class Turn {
    public:
        virtual ~Turn() = default;
        virtual void take() = 0; // in the thread that lives here; returns when it is its turn
    };
    // Absent where time runs by itself.
    virtual std::unique_ptr<Turn> reserve() { return nullptr; }

    // What another thread, the helper, does for one that waits meanwhile. By a clock that jumps the helper
    // uses the turn of who waits; one that is not back in time has a turn of its own from then on.
    class PendingCall {
    public:
        virtual ~PendingCall() = default;
        StopFlag halt{false};     // for the helper: that of who waits, handed on
        virtual void begin() = 0; // in the helper
        virtual void end() = 0;   // in the helper, when all is done; time goes on only after that
        // In who waits, until the helper is back. False: it is not in time, nor a few seconds after a halt.
        virtual bool await() = 0;
        virtual bool over() const = 0; // the helper is back
    };
    // In the thread that will wait, before the helper begins. In time: within the own_s that the work takes
    // by this clock and patience_s more. Patience is a person's, whatever the speed.
    virtual std::shared_ptr<PendingCall> pendingCall(double own_s, double patience_s,
                                                     const StopFlag& halted) = 0;
};

} // namespace nordstjerna
