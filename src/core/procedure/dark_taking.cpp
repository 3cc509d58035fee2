#include "core/procedure/dark_taking.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
constexpr double readOut_s = 0.3;
}

std::vector<double> darkExposures(const std::vector<double>& wanted) {
    std::vector<double> all = wanted;
    for (const double usual_s : {1.0, 1.5, 2.0, 3.0, 4.0, 6.0})
        all.push_back(usual_s);
    // Those that were asked for come first, so that they stand for what is close to them.
    std::vector<double> kept;
    for (const double s : all)
        if (s > 0.0 &&
            std::none_of(kept.begin(), kept.end(), [&](double k) { return std::abs(s / k - 1.0) < 0.05; }))
            kept.push_back(s);
    std::sort(kept.begin(), kept.end());
    return kept;
}

double darkTime_s(const std::vector<double>& exposures_s, int count) {
    double sum = 0.0;
    for (const double s : exposures_s)
        sum += count * (s + readOut_s);
    return sum;
}

Step DarkTaking::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (const auto* taken = std::get_if<FrameTaken>(&event.what)) {
        // The first one that is not dark tells at once that the cover is off.
        if (const auto dark = checkDark(*taken->frame); !dark)
            return FailStep{dark.error()};
        frames_.push_back(*taken->frame);
        if (static_cast<int>(frames_.size()) >= count_) {
            auto master = makeMasterDark(frames_);
            if (!master)
                return FailStep{master.error()};
            results_.push_back(std::move(*master));
            frames_.clear();
        }
    }
    if (complete())
        return DoneStep{};
    ExposeStep step{exposures_s_[results_.size()], CameraRole::guide, false};
    step.raw = true;
    return step;
}

Progress DarkTaking::progress() const {
    using State = ProgressStep::State;
    Progress p;
    p.steps = {{Text::say("Darks"), complete() ? State::done : State::running}};
    const double whole_s = darkTime_s(exposures_s_, count_);
    const std::vector<double> done(exposures_s_.begin(),
                                   exposures_s_.begin() + static_cast<long>(results_.size()));
    double so_far_s = darkTime_s(done, count_);
    if (complete()) {
        p.fraction = 1.0;
        return p;
    }
    const double present_s = exposures_s_[results_.size()];
    so_far_s += darkTime_s({present_s}, static_cast<int>(frames_.size()));
    p.fraction = so_far_s / whole_s;
    p.timeLeft_s = whole_s - so_far_s;
    p.waitingFor =
        Text::say("dark %1 of %2, %3 s").arg(frames_.size() + 1).arg(count_).arg(formatNumber(present_s, 1));
    return p;
}

} // namespace nordstjerna
