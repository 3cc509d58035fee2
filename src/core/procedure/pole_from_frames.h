// The axis from frames that were taken before: each is read, solved and counted as a sighting.
#pragma once

#include <functional>

#include "core/procedure/pole_measurement.h"

namespace nordstjerna {

struct FramesSetup {
    Site site;
    PoleReference reference = PoleReference::refracted;
    double dut1_s = 0.0;
    std::vector<std::string> names; // one a frame, for messages
    // Hands out one frame; called in order, once each. Every frame must say when it was taken.
    std::function<Expected<std::shared_ptr<const Frame>>(size_t)> load;
    double scale_arcsec_px = 0.0; // when a frame's header does not tell it; 0: not known
};

class PoleFromFrames : public Procedure {
public:
    explicit PoleFromFrames(FramesSetup setup) : setup_(std::move(setup)) {}
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Axis from frames"); }
    const std::optional<PoleResult>& result() const { return result_; }
    // Frames that could not be used, with the reason.
    const std::vector<Problem>& leftOut() const { return leftOut_; }

private:
    std::optional<Step> nextFrame(); // absent when none is left
    Step finish(const Event& event);

    FramesSetup setup_;
    size_t at_ = 0;
    std::shared_ptr<const Frame> frame_;
    std::vector<Sighting> sightings_;
    std::vector<Problem> leftOut_;
    std::optional<PoleResult> result_;
    bool ended_ = false;
};

} // namespace nordstjerna
