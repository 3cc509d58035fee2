#include "core/procedure/procedure.h"

#include <algorithm>
#include <array>
#include <numeric>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
constexpr std::array pauses_s{1.0, 2.0, 4.0, 8.0, 15.0, 15.0, 15.0};
}

std::optional<Step> brokenOff(const Event& event) {
    if (const auto* failed = std::get_if<StepFailed>(&event.what))
        return FailStep{failed->problem};
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    return std::nullopt;
}

bool Procedure::repeatable(const Step& step) const {
    // A trail that was broken off has moved the mount.
    return !std::holds_alternative<TrailStep>(step);
}

Step Procedure::remember(Step step) {
    last_ = step;
    return step;
}

Step Procedure::next(const Event& event) {
    const auto* failed = std::get_if<StepFailed>(&event.what);
    if (pausing_) {
        pausing_ = false;
        if (std::holds_alternative<StepFinished>(event.what))
            return last_;
        return remember(advance(event)); // stopped or halted meanwhile
    }
    if (!failed || !failed->problem.passing || !repeatable(last_)) {
        if (!failed)
            trouble_.reset();
        return remember(advance(event));
    }
    const int before = trouble_ ? trouble_->failures : 0;
    trouble_ = Trouble{failed->problem, before + 1, static_cast<int>(pauses_s.size()) + 1};
    if (trouble_->failures < trouble_->most) {
        stumbled(event, failed->problem);
        pausing_ = true;
        return WaitStep{pauses_s[static_cast<size_t>(before)], "the device to answer again"};
    }
    Event gone = event;
    Problem p = failed->problem;
    p.why += (p.why.empty() ? "" : " ") + std::string("It failed ") +
             formatCount(trouble_->failures, "time") + " within " +
             formatDuration(std::accumulate(pauses_s.begin(), pauses_s.end(), 0.0)) + ".";
    p.passing = false;
    gone.what = StepFailed{p};
    return remember(advance(gone));
}

} // namespace nordstjerna
