// The way to one device: whoever asks it something waits for its answer, but no longer than is reasonable.
// What was asked goes on by itself then; until it is back nothing more is told to the device, lest commands
// pile up and are all carried out at once, late.
#pragma once

#include <exception>
#include <mutex>
#include <optional>
#include <string>
#include <type_traits>
#include <vector>

#include "core/base/problem.h"
#include "edge/devices/clock.h"
#include "edge/devices/helpers.h"

namespace nordstjerna {

class DeviceQueue {
public:
    // What an answer may take: what it does by the night's clock, and how long one waits beyond that.
    struct Wait {
        double own_s = 0.0;
        double patience_s = 20.0;
    };
    DeviceQueue(Text device, Clock& clock, Helpers& helpers) // "mount"
        : device_(std::move(device)), clock_(clock), helpers_(helpers) {}

    // ask: given a halt flag of its own, and owning all else it needs, for it may outlive the caller. A
    // device that does not answer in time is a transient failure.
    template <typename Ask>
    std::invoke_result_t<Ask, const StopFlag&> ask(Wait wait, const StopFlag& halt, Ask what) {
        if (held())
            return tl::unexpected(silent());
        struct Work {
            std::optional<std::invoke_result_t<Ask, const StopFlag&>> answer;
            std::string thrown;
        };
        auto work = std::make_shared<Work>();
        auto pendingCall = clock_.pendingCall(wait.own_s, wait.patience_s, halt);
        helpers_.run([work, pendingCall, what = std::move(what)] {
            pendingCall->begin();
            try {
                work->answer = what(pendingCall->halt);
            } catch (const std::exception& e) {
                work->thrown = e.what();
            } catch (...) {
                work->thrown = "no words";
            }
            pendingCall->end();
        });
        if (!pendingCall->await()) {
            hold(pendingCall);
            return tl::unexpected(silent());
        }
        if (!work->answer)
            return tl::unexpected(broken(work->thrown));
        return std::move(*work->answer);
    }

private:
    Problem silent() const;
    Problem broken(const std::string& words) const; // its driver threw
    void hold(std::shared_ptr<Clock::PendingCall> pendingCall);
    bool held(); // something that was told is not back yet
    Text device_;
    Clock& clock_;
    Helpers& helpers_;
    std::mutex lock_;
    std::vector<std::shared_ptr<Clock::PendingCall>> out_; // not back in time
};

} // namespace nordstjerna
