// The gears tried on a star, some seven minutes: RA to and fro by legs, with quiet stretches; then
// Dec north, south, and north again, each until the star follows and a dozen pulses more.
#pragma once

#include "core/guide/guide_geometry.h"
#include "core/motion/gear_answer.h"
#include "core/procedure/star_watch.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct GearCheckSetup {
    Rig rig;
    Calibration calibration;
    double exposure_s = 1.0;
    double step_px = 3.0; // motion of one pulse
    double pause_s = 0.5; // after a pulse
};

class GearCheck : public Procedure {
public:
    explicit GearCheck(GearCheckSetup setup) : setup_(std::move(setup)) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Gear check"); }

    // Absent until both directions of RA were tried, and of Dec where it has a motor.
    const std::optional<GearAnswer>& answer() const { return answer_; }
    double decRate_arcsec_s() const { return geometry_ ? std::abs(geometry_->decRate_arcsec_s()) : 0.0; }

protected:
    Step advance(const Event& event) override;

private:
    enum class Phase { start, finding, looking, pulsing, pausing };
    enum class DecLeg { clearing, north, quietNorth, turning, south, quietSouth, turningBack, northAgain };
    Step look() const { return watch_.look(setup_.exposure_s); }
    Step measured(const StarsTracked& tracked);
    Step next(const SkyError& place);
    PulsePair raPulse();
    // Absent: the check is over.
    std::optional<PulsePair> decPulse(const SkyError& place);
    void enter(DecLeg leg);
    Step give(const PulsePair& pulse);

    GearCheckSetup setup_;
    Phase phase_ = Phase::start;
    std::optional<GuideGeometry> geometry_;
    StarWatch watch_;
    std::optional<Instant> begin_;
    std::optional<SkyError> last_; // place of the star
    PulsePair pulses_;             // one of each axis
    std::vector<GearSample> samples_;
    std::array<double, 4> promised_{};
    int reversals_ = 0;
    int raFrame_ = 0; // of its part
    DecLeg leg_ = DecLeg::clearing;
    int inLeg_ = 0, followed_ = 0;
    std::optional<GearAnswer> answer_;
};

} // namespace nordstjerna
