// Finds the best focus of a camera with a motor focuser. From wherever it stands it goes inwards of the focus
// and then outwards through it, coarse steps first; all places on the curve are reached by moving outwards,
// so that the backlash of the gears is on the same side everywhere. Turning round afterwards measures that
// backlash.
#pragma once

#include <deque>

#include "core/focus/focus_curve.h"
#include "core/focus/focus_look.h"
#include "core/focus/focuser_backlash.h"
#include "core/procedure/camera_side.h"
#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct FocusRunSetup {
    Rig rig;
    CameraRole camera = CameraRole::imaging;
    double exposure_s = 3.0;
    double starGuess_arcsec = 3.0; // size of a sharp star, for the first steps only
    bool measureBacklash = false;  // again, where it is known already
    bool endAtBest = true;         // else where it began

    const FocuserSpec& focuser() const { return focuserSpecOf(rig, camera); }
    const Optics& optics() const { return opticsOf(rig, camera); }
};

struct FocusResult {
    std::vector<CurvePoint> points;
    std::vector<InwardFrame> inward; // for the backlash
    FocusCurve curve;
    std::optional<Measured> backlash_steps; // measured now
    double zone_um = 0.0;                   // critical focus zone, whole depth
    double zone_steps = 0.0;                // 0: the travel of a step is not known
    std::optional<double> temperature_c;    // beside the focuser, at the end
    double began_steps = 0.0;
    double ended_steps = 0.0;
    Measured hfd_px; // in the last frame, at the best place
    int exposures = 0;
    Text doubt; // the last frame is not as sharp as the curve promised; empty: it is
};

// The backlash that was measured, if it was, belongs to the camera's focuser from now on.
void keepBacklash(const FocusResult& result, FocuserSpec& focuser);

class FocusRun : public Procedure {
public:
    explicit FocusRun(FocusRunSetup setup);
    Progress progress() const override;
    Text name() const override { return Text::say("Focus run"); }
    bool needsMount() const override { return false; }
    // The guide star does not move while the other camera is focused, unless both hang on one focuser.
    bool besideGuiding() const override {
        return setup_.camera == CameraRole::imaging && !setup_.rig.offAxis;
    }

    const FocusRunSetup& setup() const { return setup_; }
    const std::vector<CurvePoint>& points() const { return points_; }
    const std::vector<InwardFrame>& inward() const { return inward_; }
    const std::optional<FocusCurve>& curve() const { return curve_; } // as far as known
    const std::optional<FocusResult>& result() const { return result_; }
    std::shared_ptr<const Frame> frame() const { return frame_; }
    const std::optional<FocuserState>& focuser() const { return state_; }
    int exposures() const { return exposures_; }

protected:
    Step advance(const Event& event) override;

private:
    enum class Phase { asking, first, below, through, backlash, back, home, ended };
    struct Guess {
        double centre, knee; // steps: the place, and how far from it the stars are larger by √2
    };
    Step goTo(double steps); // ends by moving outwards
    Step goInwards(double steps);
    Step nextMove();
    Step expose();
    Step seen(const FocusLook& look);
    Step noStars();
    Step fromFirst(const FocusLook& look);
    Step fromBelow(const FocusLook& look);
    Step through();
    std::optional<double> openSlot(const Guess& guess) const;
    Step beginBacklash();
    Step playOn();
    Step toBest();
    Step finish(const FocusLook& look);
    Guess guess() const;
    // Of these points, which get the marks of those that do not belong.
    std::optional<FocusCurve> trustedFit(std::vector<CurvePoint>& points) const;
    double disc_px(double hfd_px) const;  // what being out of focus adds to a sharp star, in quadrature
    double distance(double hfd_px) const; // steps from the focus, by what is known so far
    double takeUp() const;
    Step standsStill(double from, double to) const;
    Step fail(const Text& why, const Text& remedy) const;
    std::optional<Step> beyondTravel(double centre, double knee) const;

    FocusRunSetup setup_;
    Phase phase_ = Phase::asking;
    std::optional<FocuserState> state_;
    std::deque<double> moves_;
    std::optional<double> asked_;
    bool outwards_ = false; // the last move was, and the backlash is used up
    double exposure_s_;
    int exposures_ = 0;
    int empty_ = 0; // frames without stars, in a row
    double sharp_px_;
    double slope_px_ = 0.0; // a step, far from the focus; 0: not known yet
    bool slopeKnown_ = false;
    double began_ = 0.0;
    double firstHfd_ = 0.0;
    double down_ = 0.0; // of the last move to below the focus
    int downs_ = 0;
    bool again_ = false;  // gone to the best place a second time, for the first frame there was not sharp
    bool looked_ = false; // once more at the same place
    std::optional<FocuserBacklash> backlashDoubted_;
    Measured firstEnd_;
    bool asking_ = false; // on which side of the focus it stands
    std::vector<CurvePoint> points_;
    std::vector<InwardFrame> inward_;
    double turned_ = 0.0; // where the inward moves began
    std::optional<FocuserBacklash> backlash_;
    std::optional<FocusCurve> curve_;
    std::optional<FocusResult> result_;
    std::shared_ptr<const Frame> frame_;
};

} // namespace nordstjerna
