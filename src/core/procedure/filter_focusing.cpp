#include "core/procedure/filter_focusing.h"

#include <algorithm>

namespace nordstjerna {

FilterFocusing::FilterFocusing(FilterFocusingSetup setup) : setup_(std::move(setup)) {
    setup_.run.camera = CameraRole::imaging;
    setup_.run.endAtBest = true;
    order_ = setup_.through;
    if (order_.size() > 1)
        order_.push_back(order_.front());
}

void FilterFocusing::goOn() {
    if (changing_)
        changing_->goOn();
}

Step FilterFocusing::change(const Event& event) {
    if (at_ >= order_.size())
        return DoneStep{};
    const Rig& rig = setup_.run.rig;
    const FilterOffsets offsets = filterOffsets(setup_.known, rig.imagingFocuser);
    changing_.emplace(filterChange(rig, setup_.wheel, order_[at_], offsets.between(filter_, order_[at_])));
    Event begin = event;
    begin.what = Started{};
    return changed(begin);
}

Step FilterFocusing::changed(const Event& event) {
    if (const auto step = changing_->step(event))
        return *step;
    if (changing_->failure())
        return FailStep{*changing_->failure()};
    filter_ = changing_->to();
    changing_.reset();
    run_.emplace(setup_.run);
    Event begin = event;
    begin.what = Started{};
    return focus(begin);
}

Step FilterFocusing::focus(const Event& event) {
    const Step next = run_->next(event);
    if (!std::holds_alternative<DoneStep>(next))
        return next;
    if (!run_->result()) // stopped
        return DoneStep{};
    const FocusResult& r = *run_->result();
    found_.push_back({filter_, event.now, r});
    setup_.known.push_back({event.now, r.curve.best_steps, r.temperature_c, filter_});
    keepBacklash(r, setup_.run.rig.imagingFocuser);
    setup_.run.measureBacklash = false;
    run_.reset();
    ++at_;
    return change(event);
}

Step FilterFocusing::advance(const Event& event) {
    if (run_)
        return focus(event);
    if (const auto end = brokenOff(event); end && !changing_)
        return *end;
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    if (changing_)
        return changed(event);
    if (setup_.wheel && filter_.empty()) {
        const auto* answer = std::get_if<FilterAnswered>(&event.what);
        if (!answer)
            return FilterStep{};
        filter_ = filterBefore(setup_.run.rig, answer->state);
    }
    return change(event);
}

Progress FilterFocusing::progress() const {
    using State = ProgressStep::State;
    Progress p;
    for (size_t i = 0; i < order_.size(); ++i)
        p.steps.push_back({Text(order_[i]), i < at_    ? State::done
                                            : i == at_ ? State::running
                                                       : State::ahead});
    if (run_)
        p.waitingFor = run_->progress().waitingFor;
    else if (changing_)
        p.waitingFor = changing_->progress().waitingFor;
    p.fraction = order_.empty() ? 1.0 : static_cast<double>(at_) / static_cast<double>(order_.size());
    return p;
}

} // namespace nordstjerna
