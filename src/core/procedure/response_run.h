// How an axis answers its pulses, measured before guiding in two minutes: pulses of a known pattern, far
// above the noise, and where the star stands in each frame. RA gets pulses both ways; Dec pulses one way
// only, so that its backlash is not taken for a delay.
#pragma once

#include "core/guide/guide_geometry.h"
#include "core/guide/response_meter.h"
#include "core/procedure/star_watch.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct ResponseRunSetup {
    Rig rig;
    Calibration calibration;
    double exposure_s = 1.0;
    double step_px = 3.0; // motion of one pulse
    int frames = 80;
};

class ResponseRun : public Procedure {
public:
    explicit ResponseRun(ResponseRunSetup setup) : setup_(std::move(setup)) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Response test"); }

    // Absent before the first pulses were seen, and for Dec where it has no motor or did not follow.
    std::optional<Response> ra() const;
    std::optional<Response> dec() const;
    int framesSeen() const { return seen_; }

protected:
    Step advance(const Event& event) override;

private:
    Step look() const { return watch_.look(setup_.exposure_s); }
    Step measured(const StarsTracked& tracked, const Event& event);
    PulsePair pulse(const SkyError& place);
    bool engaged() const { return followed_ >= 3; } // of Dec; its pulses go one way from then on

    enum class Phase { start, finding, looking, pulsing };
    ResponseRunSetup setup_;
    Phase phase_ = Phase::start;
    std::optional<GuideGeometry> geometry_;
    StarWatch watch_;
    ResponseMeter ra_, dec_;
    std::optional<Instant> begin_;
    std::optional<SkyError> last_;    // place of the star
    SkyError sent_;                   // by the pulses since then
    PulsePair pulses_;                // one of each axis
    int seen_ = 0;                    // frames with stars
    int clearing_ = 0, followed_ = 0; // Dec pulses until it follows, and frames in a row in which it did
};

} // namespace nordstjerna
