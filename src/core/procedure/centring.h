// Centres a target: slew, expose, solve, correct, until the target stands within the tolerance.
#pragma once

#include "core/procedure/approach.h"

namespace nordstjerna {

enum class CorrectBy {
    sync,  // tell the mount where it points, slew again
    offset // leave the mount's own idea alone, aim beside the target
};

struct CentringSetup {
    Rig rig;
    Vec3 target = Vec3::UnitX(); // ICRS
    std::string targetName;
    double tolerance_arcsec = 30.0;
    CorrectBy correctBy = CorrectBy::sync;
    CameraRole camera = CameraRole::imaging;
    double exposure_s = 4.0;
    double settle_s = 4.0;       // after each slew
    int bin = 0;                 // pixels added up before solving; 0: as many as leave the frame fine enough
    std::string side;            // of the meridian on which the mount must hang, where it may be told
    bool blind = false;          // where the mount believes to point is not to be trusted
    double scaleTolerance = 0.2; // relative, of the rig's own scale
    int mostPasses = 6;
};

struct CentringPass {
    Equatorial centre;        // where the frame's centre looked, ICRS
    double east_arcsec = 0.0; // of the centre against the target, on the sky
    double north_arcsec = 0.0;
    double off_arcsec() const;
};

class Centring : public Procedure {
public:
    explicit Centring(CentringSetup setup);
    Step advance(const Event& event) override;
    // The first step of one that is a part of a larger procedure.
    Step begin(Event event);
    Progress progress() const override;
    Text name() const override { return Text::say("Centring %1").arg(setup_.targetName); }

    const std::vector<CentringPass>& passes() const { return passes_; }
    bool centred() const { return centred_; }
    // It ended because a frame could not be solved.
    bool unsolved() const { return phase_ == Phase::approaching && approach_.frame() && !approach_.solved(); }
    // Of the last frame: plane and sizes in unbinned pixels of the camera.
    const std::optional<SolvedFrame>& solved() const { return solved_; }
    std::shared_ptr<const Frame> frame() const { return frame_; } // binned, as solved
    int bin() const { return bin_; }
    const CentringSetup& setup() const { return setup_; }
    // Of the optics in front of the camera, from the last solved frame, the air's flattening of the field
    // taken out; 0 before the first.
    double effectiveFocal_mm() const;

private:
    void aim(const Event& event);
    Step judge(const Event& event);

    enum class Phase { start, approaching, syncing, ended };
    CentringSetup setup_;
    int bin_ = 1;
    Phase phase_ = Phase::start;
    Approach approach_;
    Vec3 aim_; // where the mount is told to go, ICRS
    std::vector<CentringPass> passes_;
    std::optional<SolvedFrame> solved_;
    std::shared_ptr<const Frame> frame_;
    bool centred_ = false;
};

} // namespace nordstjerna
