#include "core/procedure/pole_from_frames.h"

#include <algorithm>

#include "core/base/format.h"

namespace nordstjerna {

Step PoleFromFrames::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        ended_ = true;
        return *end;
    }
    if (const auto* answer = std::get_if<FrameSolved>(&event.what)) {
        if (answer->solution) {
            const ObservedFrame at(setup_.site, answer->solution->when, setup_.dut1_s);
            sightings_.push_back(
                makeSighting(*answer->solution, at, airMotion_arcsec(frame_->info.exposure_s)));
        } else {
            Problem p = diagnoseUnsolved(*frame_, answer->solution.error());
            p.what = Text::say("%1: %2").arg(setup_.names[at_]).arg(p.what);
            leftOut_.push_back(p);
        }
        ++at_;
    }
    if (const auto step = nextFrame())
        return *step;
    return finish(event);
}

std::optional<Step> PoleFromFrames::nextFrame() {
    while (at_ < setup_.names.size()) {
        auto frame = setup_.load(at_);
        if (frame && (*frame)->info.middle()) {
            frame_ = *frame;
            SolveStep step;
            step.frame = frame_;
            const bool tells = frame_->info.pixel_um > 0.0 && frame_->info.focal_mm > 0.0;
            step.scale_arcsec_px = tells ? 0.0 : setup_.scale_arcsec_px;
            step.scaleTolerance = 0.2;
            return step;
        }
        leftOut_.push_back(
            frame ? Problem{Text::say("%1 does not say when it was taken.").arg(setup_.names[at_]),
                            Text::say("It has no readable DATE-OBS."),
                            Text::say("Use frames with DATE-OBS (start of exposure, UTC) and EXPTIME.")}
                  : frame.error());
        ++at_;
    }
    return std::nullopt;
}

Step PoleFromFrames::finish(const Event& event) {
    ended_ = true;
    if (sightings_.size() < 2 && !leftOut_.empty())
        return FailStep{leftOut_.front()};
    const Instant when = sightings_.empty() ? event.now : sightings_.back().when;
    auto result = poleResult(sightings_, setup_.site, setup_.reference, when);
    if (!result)
        return FailStep{result.error()};
    result_ = std::move(*result);
    return DoneStep{};
}

Progress PoleFromFrames::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const size_t n = setup_.names.size();
    for (size_t i = 0; i < std::min<size_t>(n, 8); ++i)
        p.steps.push_back({Text::say("Frame %1").arg(i + 1), i < at_               ? State::done
                                                             : i == at_ && !ended_ ? State::running
                                                                                   : State::ahead});
    p.fraction = static_cast<double>(at_) / static_cast<double>(std::max<size_t>(1, n));
    if (!ended_)
        p.waitingFor = Text::say("solving frame %1 of %2").arg(at_ + 1).arg(n);
    return p;
}

} // namespace nordstjerna
