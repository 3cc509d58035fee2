// Whether a device answers, as seen from its answers. From any thread.
#pragma once

#include <chrono>
#include <map>
#include <mutex>
#include <optional>

#include "core/base/problem.h"

namespace nordstjerna {

struct LinkState {
    bool answers = true;
    double silent_s = 0.0; // by the wall: since it last answered, or was first asked in vain
    Text why;              // of the last failure, empty where it simply says nothing
};

class Link {
public:
    // patience_s: so long an answer may take. 0: as long as it likes.
    explicit Link(double patience_s) : patience_s_(patience_s) {}

    // A question is put; to be handed to answered().
    int asked();
    // A failure that will not pass by itself is an answer too: the device spoke.
    void answered(int question, const std::optional<Problem>& failure);
    LinkState state() const;

private:
    using Time = std::chrono::steady_clock::time_point;
    double patience_s_;
    mutable std::mutex lock_;
    int next_ = 0;
    std::map<int, Time> open_; // questions without an answer yet
    std::optional<Time> failingSince_;
    Text why_;
};

} // namespace nordstjerna
