// Takes the telescope over the meridian: stops guiding, slews to the same target until the mount has really
// come over (by its own word and by the picture, which stands on its head), centres the target again, and
// lets guiding find out how Dec works on the other side.
#pragma once

#include "core/procedure/centring.h"

namespace nordstjerna {

struct FlipSetup {
    CentringSetup centring;                       // rig, target, and how near it must stand afterwards
    bool pauseBefore = false, pauseAfter = false; // until goOn()
    bool guide = true;                            // again afterwards
    // For a clear field and for guide stars, some minutes. A series waits itself, and heeds the end of the
    // night.
    bool waits = true;
    std::optional<double> rollBefore_deg; // position angle of the imaging sensor's +y before, if known
    std::string sideBefore; // of a flip that was broken off, for it may have come over; empty: as it is now
};

// What was found out, for the record and the words.
struct FlipRecord {
    std::string sideBefore, sideAfter;
    int slews = 0;
    std::optional<double> turned_deg; // of the picture; 180 when it stands on its head
    double off_arcsec = 0.0;          // after centring
    std::optional<bool> decReversed;
    bool settled = false;
};

class Flip : public Procedure {
public:
    explicit Flip(FlipSetup setup);
    Progress progress() const override;
    Text name() const override { return Text::say("Meridian flip"); }
    bool besideGuiding() const override { return true; }

    const FlipRecord& record() const { return record_; }
    // Waits for goOn() before or after the mount moves.
    bool pausing() const { return phase_ == Phase::pausingBefore || phase_ == Phase::pausingAfter; }
    void goOn() { goOn_ = true; }
    bool over() const { return phase_ == Phase::ended; }
    const std::optional<Problem>& failure() const { return failure_; }
    // That may pass, by cloud or cable: another flip, which goes on with this one, may succeed.
    bool mayPass() const { return mayPass_; }
    // One that goes on with this one, which failed; it asks the person nothing again.
    FlipSetup again() const;

    // As one step of a larger procedure, which forwards its events. Nothing once it is over.
    std::optional<Step> step(const Event& event);

protected:
    Step advance(const Event& event) override;

private:
    enum class Phase {
        start,
        stopping,
        pausingBefore,
        slewing,
        waiting,
        centring,
        cloudWait,
        pausingAfter,
        guideWait, // the start of guiding failed; again in a minute
        guiding,
        ended
    };
    Step comeOver(const Event& event);
    Step slew(const Event& event);
    Step centre(const Event& event);
    Step afterCentring();
    static Step lookAround();
    Step guideAgain();
    std::optional<Step> fail(const Problem& problem, bool mayPass = false);

    FlipSetup setup_;
    Phase phase_ = Phase::start;
    std::optional<Centring> centring_;
    FlipRecord record_;
    std::optional<Problem> failure_;
    bool mayPass_ = false;
    int clouds_ = 0;
    int guideTries_ = 0;
    bool goOn_ = false;
};

} // namespace nordstjerna
