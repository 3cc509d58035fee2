// The exposures of a night on one target: waits for the beginning, centres, lets the loop guide, exposes and
// dithers, flips, and ends in good order. What it does when, its rules say (series_plan.h).
#pragma once

#include "core/base/text.h"
#include "core/findings/series_findings.h"
#include "core/guide/aim_path.h"
#include "core/procedure/both_fields.h"
#include "core/procedure/filter_change.h"
#include "core/procedure/flip.h"
#include "core/procedure/focus_run.h"
#include "core/series/series_frame.h"
#include "core/series/series_plan.h"

namespace nordstjerna {

// How its target is centred, at the beginning and after the flip; now: where a target that moves stands then.
CentringSetup centringOf(const SeriesSetup& series, Instant now);

class Series : public Procedure {
public:
    explicit Series(SeriesSetup setup);
    Progress progress() const override;
    Text name() const override { return Text::say("Series of %1").arg(setup_.targetName); }
    bool besideGuiding() const override { return true; }
    bool needsMount() const override { return false; } // it waits for one

    const SeriesSetup& setup() const { return setup_; }
    const std::vector<SeriesFrame>& frames() const { return frames_; }
    // The newest one's pixels; absent where nothing was rendered.
    const std::shared_ptr<const Frame>& frame() const { return frame_; }
    const std::optional<SolvedFrame>& solved() const { return solved_; }
    // What is still to come, as the rules have it.
    std::optional<SeriesPlan> plan(Instant now) const;
    // Where the aim went so far, one a frame group, and the next ones.
    DitherSpot spot(int n) const;
    int dithers() const { return allDithers_; }

    // What it does at the moment.
    enum class Phase {
        start,
        waiting,
        looking, // whether a loop that runs holds the target already
        centring,
        tryingAgain, // a solve, the guide star or a device failed; again in a minute
        guiding,
        exposing,
        dithering,
        following, // the loop is told how the aim moves
        flipping,
        changing, // the filter
        cooling,  // the camera
        refocusing,
        paused,
        saving,  // the last frame could not be saved; waits until it can
        closing, // the loop is being stopped
        parking,
        resting, // tracking is being stopped
        ended
    };
    Phase phase() const { return phase_; }
    Instant exposedSince() const { return exposedSince_; } // while exposing
    double exposure_s() const { return exposure_s_; }      // of that frame
    // Frames that count, with those of an earlier part of the series.
    int counted() const { return setup_.earlier.frames + countedFrames(frames_); }
    // The number that the next frame gets.
    int nextNumber() const { return setup_.earlier.number + static_cast<int>(frames_.size()) + 1; }
    // What another part of it would have to know.
    SeriesEarlier soFar() const { return {counted(), nextNumber() - 1, allDithers_}; }
    // A noun or a verb's -ing form, as in every progress.
    const Text& waitingFor() const { return why_; }
    // What failed; only while it is tried again.
    const Problem* trouble() const { return phase_ == Phase::tryingAgain ? &trouble_ : nullptr; }
    Instant againAt() const { return againAt_; }
    const Text& ending() const { return ending_; } // why it ended
    // And what became of the mount; empty while it runs, and after a halt.
    const Text& mountAfterwards() const { return mountAfterwards_; }
    bool stoppedByHand() const { return stoppedByHand_; }
    // Whether another target comes after it; may change while it runs.
    void setFollowed(bool followed) { setup_.followed = followed; }
    // The focus run under way.
    const FocusRun* focusing() const { return focusing_ ? &*focusing_ : nullptr; }
    // The last one that found the focus.
    const std::optional<FocusResult>& focused() const { return focused_; }
    // Before the camera; empty: none, or not known.
    const std::string& filter() const { return filter_; }
    // Waits for a person to change the filter.
    bool wantsFilterByHand() const { return changing_ && changing_->pausing(); }
    // Why the camera is not as cold as was wanted; empty: it is.
    const Text& notCold() const { return notCold_; }
    const Flip* flip() const { return flip_ ? &*flip_ : nullptr; }
    const std::optional<FlipRecord>& flipped() const { return flipped_; }
    // What the frames tell so far.
    const SeriesStory& story() const { return story_; }

    // By the person, between two steps.
    void pause(bool on) { pauseWanted_ = on; }
    bool pauseWanted() const { return pauseWanted_; }
    void flipNow() { flipWanted_ = true; }
    // Another end than planned; fails when that is over already.
    Expected<void> endAt(Instant t, Instant now);
    // From the next dither on.
    void setSettling(double within_px, double for_s);
    // Whether the aim goes against the flexure; from the next frame on.
    void followFlexure(bool on);
    void goOn(); // after a pause of the flip, or with another filter in place

    // By whoever saves the frames: where one lies, or why it does not. While one cannot be saved no further
    // frame is begun.
    void saved(int number, const std::string& file);
    void notSaved(const Problem& problem);
    const std::optional<Problem>& unsaved() const { return unsaved_; }

protected:
    Step advance(const Event& event) override;

private:
    Step failed(const Event& event, const Problem& problem);
    Step begin(const Event& event);
    Step move(const Event& event);
    Step centre(const Event& event);
    Step lookStep(const Event& event);
    Step letGo();
    Step centredBy(const std::optional<SolvedFrame>& solved, const Event& event);
    Step guide();
    Step expose(double shorter_s, const Event& event);
    SkyError aimRate() const;
    std::optional<Step> setAim();
    void chosenAnew();
    Step dither(const Event& event);
    Step ditherBySlew(const Event& event);
    Angle hourAngleOf(const Event& event) const; // of the target
    bool slewWouldFlip(const Event& event) const;
    Step flipOver(const Event& event);
    Step flipStep(const Event& event);
    bool wantsFocus(const Event& event) const;
    std::optional<Step> setFilter(const Event& event);
    Step changeStep(const Event& event);
    Step awaitCooler(const Event& event);
    void learnFocus(const FocusResult& result, Instant now);
    Step refocus(const Event& event);
    Step focusStep(const Event& event);
    Step taken(const ImageTaken& image, const Event& event);
    Step close(const Text& why, bool stopGuiding, const Event& event);
    Step fail(const Problem& problem, const Text& why, const Event& event);
    Step rest(const Event& event);
    Step stopTracking(const Event& event);
    Step parked(const Event& event);
    Step stopped();
    Step rested(const Event& event);
    Step over(const Text& mount);
    Step wait(Phase phase, double seconds, const Text& why);
    bool across(const Event& event) const { return event.mount.side == "west"; }

    SeriesSetup setup_;
    std::optional<SeriesRules> rules_;
    Phase phase_ = Phase::start;
    FieldLook look_;
    std::optional<Centring> centring_;
    std::optional<Flip> flip_;
    std::optional<FlipRecord> flipped_;
    std::optional<FocusRun> focusing_;
    std::optional<FocusResult> focused_;
    std::optional<SolvedFrame> solved_; // of the imaging camera, by the last centring
    std::vector<SeriesFrame> frames_;
    std::shared_ptr<const Frame> frame_;
    std::string filter_;
    bool wheelAsked_ = false, focusDue_ = false;
    std::optional<FilterChange> changing_;
    std::optional<FilterChangeSetup> changeLeft_; // of one that a silent device broke off
    FilterOffsets offsets_;
    bool coolerAsked_ = false, cooled_ = false, warmed_ = false;
    Instant coolingSince_;
    Text notCold_;
    std::optional<Problem> unsaved_;
    std::optional<Problem> failure_;
    Problem trouble_;
    Instant exposedSince_, cloudBegan_, againAt_;
    double exposure_s_ = 0.0;
    bool filling_ = false; // the frame under way is a shorter one
    bool unparked_ = false;
    std::string side_;
    Text why_, ending_, mountAfterwards_;
    int restChecks_ = 0;
    bool stoppedByHand_ = false;
    Text notParked_;           // why it only stopped tracking
    int allDithers_ = 0;       // of the pattern
    int sinceDither_ = 0;      // frames
    bool slewSettled_ = false; // of a dither without guiding
    int clouds_ = 0;
    std::optional<Instant> awaySince_; // a device that is not needed to look at stars
    bool centred_ = false;
    bool guided_ = false;     // the loop runs and was steady
    bool starLost_ = false;   // it was to begin, or to find its star again, and did not
    bool guideBegun_ = false; // it was asked to, and may still be running
    bool settled_ = true;
    bool pauseWanted_ = false, flipWanted_ = false;
    DitherSpot spot_;
    // The aim of the loop, by the time of the night, and what of it is against flexure.
    AimPath aim_, bent_;
    SkyError aimTold_, bendTold_; // the rates that the loop was told, ″ a minute
    bool anew_ = false; // stars were chosen since the last frame: where the field stands says nothing
    FlexureFollower flexure_;
    std::string solvedSide_;
    SeriesStory story_;
};

} // namespace nordstjerna
