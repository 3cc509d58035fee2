// Turns the imaging camera to a wanted position angle by a rotator: look, turn, look again. Which way the
// rotator's scale runs is seen by the stars, and so is whether the camera turns at all.
#pragma once

#include "core/base/measured.h"
#include "core/procedure/both_fields.h"

namespace nordstjerna {

struct CameraTurningSetup {
    Rig rig;
    double wanted_deg = 0.0;    // position angle of the sensor's upper side; upside down is as good
    double tolerance_deg = 0.2; // moves a corner by some 0.2 % of the frame's side
    double exposure_s = 4.0;
};

// Where the rotator has to go so that the camera turns by that much along its scale, or by so much and half
// turns: the place of the shortest way within its range; nothing where there is none.
std::optional<double> rotatorGoal(const RotatorState& rotator, double by_deg);

class CameraTurning : public Procedure {
public:
    explicit CameraTurning(const CameraTurningSetup& setup)
        : setup_(setup), look_(setup.rig, CameraRole::imaging, setup.exposure_s) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Turning the camera by its rotator"); }

    const std::optional<SolvedFrame>& solved() const { return last_; }
    std::shared_ptr<const Frame> frame() const { return look_.frame(); }
    // From where it was to where it is now, as position angles grow: what else turned with it turned by as
    // much. Nothing before the second frame was solved.
    std::optional<Measured> turned_deg() const;
    // What is left; nothing before the first frame was solved.
    std::optional<double> left_deg() const;
    bool there() const { return there_; }

protected:
    Step advance(const Event& event) override;

private:
    enum class Phase { looking, asking, turning };
    Step lookAgain(const Event& event);
    Step looked();
    Step turnFrom(const RotatorState& rotator);
    CameraTurningSetup setup_;
    FieldLook look_;
    Phase phase_ = Phase::looking;
    std::optional<SolvedFrame> first_, last_;
    double sense_ = 1.0; // of the rotator's scale against position angles
    bool senseSeen_ = false;
    double commanded_deg_ = 0.0; // by the last move, along its scale
    double before_deg_ = 0.0;    // position angle before it
    int moves_ = 0;
    bool there_ = false;
};

} // namespace nordstjerna
