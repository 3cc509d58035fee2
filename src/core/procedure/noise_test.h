// What the guide camera's gain, or its exposure, does to the noise of the stars' places: the same stars at
// several settings, in turn, so that the air's moods fall on all of them alike. At each gain two pairs of
// frames also tell what a count is worth and how much noise the camera adds of itself.
#pragma once

#include "core/image/noise_advice.h"
#include "core/image/photon_transfer.h"
#include "core/procedure/procedure.h"

namespace nordstjerna {

struct NoiseTestSetup {
    enum class Of { gain, exposure } of = Of::gain;
    double exposure_s = 2.0; // of a test of the gain
    std::vector<double> exposures_s{1.0, 2.0, 4.0, 6.0};
    int rounds = 16;
    int converterBits = 16;
    double fullWell_e = 0.0; // 0: not known
};

class NoiseTest : public Procedure {
public:
    explicit NoiseTest(NoiseTestSetup setup) : setup_(std::move(setup)) {}
    Progress progress() const override;
    Text name() const override {
        return setup_.of == NoiseTestSetup::Of::gain ? Text::say("Gain test") : Text::say("Exposure test");
    }
    bool needsMount() const override { return false; }

    NoiseTestSetup::Of of() const { return setup_.of; }
    // Setting by setting, in their order; what is not known yet is absent in them.
    const std::vector<NoiseAt>& results() const { return results_; }
    // How the camera's gain stood before, once it told.
    const std::optional<GainState>& gainBefore() const { return before_; }
    std::shared_ptr<const Frame> frame() const { return frame_; }

protected:
    Step advance(const Event& event) override;

private:
    enum class Phase { begin, light, stars, restore };
    bool ofGain() const { return setup_.of == NoiseTestSetup::Of::gain; }
    void planGains(const GainState& state);
    Step goOn();
    Step putBack(Step then);
    std::optional<Problem> takeLight(const Frame& frame);
    std::optional<Problem> takeStars(const Frame& frame);
    double exposureNow_s() const;
    double settingNow() const { return results_[at_].setting; }

    NoiseTestSetup setup_;
    Phase phase_ = Phase::begin;
    std::optional<GainState> before_;
    std::vector<NoiseAt> results_;
    std::vector<std::vector<JitterFrame>> seen_; // of each setting
    std::vector<std::vector<LightPair>> light_;
    std::vector<double> lightExposures_s_;
    std::shared_ptr<const Frame> first_, frame_; // first_: of a pair
    std::vector<Star> home_;                     // the stars, as they stood at first
    double homeShiftX_ = 0.0, homeShiftY_ = 0.0; // how far they have gone since
    std::optional<Instant> begin_;
    std::optional<Instant> lastStart_;
    double lastExposure_s_ = 0.0;
    std::vector<double> between_s_; // exposures
    size_t at_ = 0;                 // setting
    size_t shot_ = 0;               // of the light frames of a setting
    int round_ = 0;
    int lost_ = 0; // frames in a row on which the stars were not found
    bool set_ = false;
    Step then_ = DoneStep{};
};

} // namespace nordstjerna
