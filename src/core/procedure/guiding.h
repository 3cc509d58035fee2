// Records a run, with or without corrections: choose stars, then frame after frame measure the shift, and
// when guiding turn it into pulses.
#pragma once

#include "core/calibration/calibration_look.h"
#include "core/guide/dec_probe.h"
#include "core/guide/guide_loop.h"
#include "core/guide/light_watch.h"
#include "core/guide/settings_book.h"
#include "core/image/guide_star_choice.h"
#include "core/image/uneven_light.h"
#include "core/motion/loop_replay.h"
#include "core/motion/run.h"
#include "core/procedure/star_watch.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct GuidingSetup {
    Rig rig;
    Calibration calibration;
    bool corrections = true; // false: a free run
    ControllerSettings controller;
    double exposure_s = 2.0;
    SettleRule settle;
    LoopPriors priors;              // the worm as at declination 0
    double length_s = 0.0;          // 0: until stopped
    std::vector<Pixel> wantedStars; // chosen by hand; empty: chosen by merit
    bool lookFirst = false;         // the rates are of another evening: a solved frame tells if they hold
};

// How the star came to rest after the aim was moved.
struct SettleRecord {
    double from_s = 0.0; // of the run
    SkyError by;
    double seconds = 0.0;       // until it was over, or so far
    double off_arcsec = 0.0;    // of the last frame
    double within_arcsec = 0.0; // that it had to stay within, as last judged
    bool over = false;
    bool settled = false; // else the time ran out, or the axis was stopped
};

class Guiding : public Procedure {
public:
    explicit Guiding(GuidingSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return setup_.corrections ? Text::say("Guiding") : Text::say("Free run"); }

    // When the run began, by the clock that nobody sets (Event::steady_s); 0 before.
    double began_s() const { return began_s_.value_or(0.0); }
    const Run& run() const { return run_; }
    const StarGroup& stars() const { return watch_.group(); }
    std::shared_ptr<const Frame> frame() const { return frame_; }
    // Of the loop; a free run has none and is steady once stars are chosen.
    LoopState loopState() const { return loop_ && setup_.corrections ? loop_->state() : LoopState::steady; }
    bool settled() const { return loopState() == LoopState::steady; }
    // An axis that was stopped because it ran away, and why.
    const std::optional<Problem>& runaway() const { return runaway_; }
    // Found out before the loop closed, when the rates came from the other side of the pier: whether Dec
    // pulses work against them here.
    const std::optional<bool>& decReversed() const { return decReversed_; }
    // What the first frame said of rates from another evening.
    const std::optional<CalibrationLook>& calibrationLook() const { return calibrationLook_; }
    // Why the recording ended by itself before its time; absent when it was stopped or ran its length.
    const std::optional<Problem>& ending() const { return ending_; }
    bool over() const { return phase_ == Phase::ended; }
    bool lost() const { return watch_.lostFrames() > 0; }
    // Whether the stars fade, and why.
    const LightVerdict& light() const { return light_.verdict(); }
    // Of the first frame.
    const std::optional<UnevenLight>& unevenLight() const { return unevenLight_; }
    int failedPulses() const { return failedPulses_; } // in a row
    const GuidingSetup& setup() const { return setup_; }
    // Takes effect with the next frame.
    void setController(const ControllerSettings& settings);
    void setExposure(double exposure_s);
    // From the next frame on the star is wanted elsewhere, ″ on the sky. Nothing before the first row.
    void moveAim(SkyError by, const SettleRule& settle);
    // From now on the star is wanted farther on all the time, ″ on the sky a minute, until told otherwise or
    // stars are chosen anew. Nothing before the first row.
    void setAimRate(SkyError arcsec_min);
    const std::vector<SettleRecord>& settles() const { return settles_; }
    // In force: of the last move of the aim, else of the start.
    SettleRule settleRule() const {
        SettleRule rule = setup_.settle;
        if (loop_)
            rule.within_arcsec = loop_->settleLimit_arcsec();
        return rule;
    }
    // What the loop believes of an axis; nothing in a free run.
    const AxisBelief* belief(Axis axis) const {
        return loop_ && setup_.corrections ? &loop_->belief(axis) : nullptr;
    }
    // How the axis answers its pulses, as measured so far.
    Response response(Axis axis) const { return loop_ ? loop_->response(axis) : Response(); }
    // What was believed at each row; one entry a row of a guided run.
    const std::vector<RowBelief>& beliefs() const { return beliefs_; }

protected:
    bool repeatable(const Step& step) const override;
    void stumbled(const Event& event, const Problem& problem) override;

private:
    std::optional<Step> pulseFailed(const Event& event);
    enum class Phase {
        start,
        finding,
        orienting,
        proving,
        probing,
        looking,
        searching,
        renewing,
        correcting,
        pausing,
        ended
    };
    Step orient(const Event& event);
    Step oriented(const FrameSolved& solved, const Event& event);
    Step choose(const Event& event);
    Step lookOrSearch();
    Step lookOn();
    Step measured(const StarsTracked& tracked, const Event& event);
    ChoiceOptions choiceOptions() const;
    Step prove(const StarsTracked& tracked, const Event& event);
    Step watch();
    void renew(const Frame& frame);
    void closeLoop(const Event& event);
    void noteChange(SettingKey key, double value);
    void noteEvents(RunRow& row);
    PulsePair corrected(RunRow& row);

    GuidingSetup setup_;
    std::optional<GuideLoop> loop_;
    std::optional<DecProbe> probe_;
    std::optional<bool> decReversed_;
    std::optional<CalibrationLook> calibrationLook_;
    std::optional<Problem> runaway_;
    PulsePair sent_;                // after the last frame
    std::vector<RunEvent> changes_; // to be noted in the next row
    Phase phase_ = Phase::start;
    std::shared_ptr<const Frame> frame_;
    StarWatch watch_;
    LightWatch light_;
    std::optional<UnevenLight> unevenLight_;
    Run run_;
    std::vector<RowBelief> beliefs_;
    std::vector<SettleRecord> settles_;
    void keep(const RunRow& row);
    void heedClock(const Event& event);
    // Seconds of the run at a moment, by a clock that nobody sets.
    double since(Instant when) const { return when - run_.meta.start - clockSteps_s_; }
    // The same of a frame's stamp, which may be from before the clock was set.
    double takenAt(Instant middle, const Event& event);
    std::optional<double> began_s_;  // the run, by the clock that nobody sets
    double clockSteps_s_ = 0.0;      // that the computer's clock was set on by, since the run began
    double lastStep_s_ = 0.0;        // the last of them, until a frame has come since
    std::optional<double> behind_s_; // of the steady clock against the computer's
    int failedPulses_ = 0;           // in a row
    bool saturated_ = false;         // a guide star, in the last frame that showed them
    std::optional<Problem> ending_;
};

} // namespace nordstjerna
