// Where both cameras look: a frame of each, solved. The mount is not moved; what it moves by itself meanwhile
// is taken out by a second frame of the guide camera.
#pragma once

#include "core/procedure/camera_side.h"
#include "core/procedure/procedure.h"
#include "core/rig/framing.h"
#include "core/rig/rig.h"

namespace nordstjerna {

// One look through one camera: expose, solve, and where that fails once more with a longer exposure and
// without trusting where the mount believes to point.
class FieldLook {
public:
    FieldLook() = default;
    FieldLook(const Rig& rig, CameraRole camera, double exposure_s);
    // The next step; nothing once solved() is there. A FailStep ends it.
    std::optional<Step> next(const Event& event);
    void again(); // from the beginning, with what worked
    // Plane and sizes in unbinned pixels of the camera.
    const std::optional<SolvedFrame>& solved() const { return solved_; }
    std::shared_ptr<const Frame> frame() const { return frame_; } // binned, as solved
    int bin() const { return bin_; }
    Text waitingFor() const;

private:
    enum class Phase { exposing, solving, ended };
    Rig rig_;
    CameraRole camera_ = CameraRole::imaging;
    double exposure_s_ = 4.0;
    int bin_ = 1;
    int attempt_ = 0;
    bool begun_ = false;
    Phase phase_ = Phase::exposing;
    std::shared_ptr<const Frame> frame_;
    std::optional<SolvedFrame> solved_;
};

struct BothFieldsResult {
    SolvedFrame imaging, guide; // the guide camera's for the moment of the imaging frame
    GuideOffset offset;         // and distance, of the optics: the air's flattening taken out
    double apart_arcmin = 0.0;
    double sigma_arcsec = 0.0; // of the offset, either way along
};

// A frame for a moment between two of the same camera, the sky having moved evenly from one to the other.
SolvedFrame betweenFrames(const SolvedFrame& before, const SolvedFrame& after, Instant when);

class BothFields : public Procedure {
public:
    BothFields(const Rig& rig, double imaging_s, double guide_s);
    Progress progress() const override;
    Text name() const override { return Text::say("Both cameras on the sky"); }
    const std::optional<BothFieldsResult>& result() const { return result_; }
    std::shared_ptr<const Frame> frame() const { return imaging_.frame(); }
    int bin() const { return imaging_.bin(); }

protected:
    Step advance(const Event& event) override;

private:
    Site site_;
    FieldLook guide_, imaging_, again_;
    std::optional<BothFieldsResult> result_;
};

// Frame after frame of the imaging camera, solved for its angle while it is being turned by hand.
class AngleWatch : public Procedure {
public:
    AngleWatch(const Rig& rig, double exposure_s) : look_(rig, CameraRole::imaging, exposure_s) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Turning the camera"); }
    bool givesWay() const override { return true; }
    const std::optional<SolvedFrame>& solved() const { return last_; }
    std::shared_ptr<const Frame> frame() const { return look_.frame(); }
    int bin() const { return look_.bin(); }
    int looks() const { return looks_; }
    // Why the last frame was not solved: moved during the exposure, most likely.
    const std::optional<Problem>& trouble() const { return unsolved_; }

protected:
    Step advance(const Event& event) override;

private:
    FieldLook look_;
    std::optional<SolvedFrame> last_;
    std::optional<Problem> unsolved_;
    int looks_ = 0;
};

} // namespace nordstjerna
