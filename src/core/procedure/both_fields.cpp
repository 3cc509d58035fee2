#include "core/procedure/both_fields.h"

#include <algorithm>
#include <cmath>

#include "core/base/angle.h"
#include "core/base/format.h"
#include "core/procedure/approach.h"
#include "core/procedure/pole_measurement.h"

namespace nordstjerna {

FieldLook::FieldLook(const Rig& rig, CameraRole camera, double exposure_s)
    : rig_(rig), camera_(camera), exposure_s_(exposure_s), bin_(solveBinning(rig, camera)) {}

void FieldLook::again() {
    begun_ = false;
    attempt_ = 0;
    phase_ = Phase::exposing;
    solved_.reset();
}

std::optional<Step> FieldLook::next(const Event& event) {
    if (!begun_) {
        begun_ = true;
        return ExposeStep{exposure_s_, camera_};
    }
    if (std::holds_alternative<FrameTaken>(event.what) && phase_ == Phase::exposing) {
        phase_ = Phase::solving;
        SolveStep solve = solveStepFor(rig_, camera_, bin_, event);
        frame_ = solve.frame;
        solve.scaleTolerance = 0.2;
        return solve;
    }
    if (const auto* answer = std::get_if<FrameSolved>(&event.what); answer && phase_ == Phase::solving) {
        if (answer->solution) {
            solved_ = unbinned(*answer->solution, bin_);
            phase_ = Phase::ended;
            return std::nullopt;
        }
        if (attempt_++ == 0) {
            exposure_s_ *= 2.0;
            phase_ = Phase::exposing;
            return ExposeStep{exposure_s_, camera_};
        }
        phase_ = Phase::ended;
        return FailStep{diagnoseUnsolved(*frame_, answer->solution.error())};
    }
    return std::nullopt;
}

Text FieldLook::waitingFor() const {
    const bool guide = camera_ == CameraRole::guide;
    if (phase_ == Phase::solving)
        return guide ? Text::say("solving the guide camera's frame")
                     : Text::say("solving the imaging camera's frame");
    const Text exposing = (guide ? Text::say("guide camera: %1 s") : Text::say("imaging camera: %1 s"))
                              .arg(formatNumber(exposure_s_, 1));
    return attempt_ ? Text::say("%1, longer after a failed solve").arg(exposing) : exposing;
}

SolvedFrame betweenFrames(const SolvedFrame& before, const SolvedFrame& after, Instant when) {
    const double share = (when - before.when) / (after.when - before.when);
    SolvedFrame f = before;
    f.when = when;
    f.plane.centre = Vec3((1.0 - share) * before.plane.centre + share * after.plane.centre).normalized();
    const double turned = std::remainder(after.plane.roll().rad() - before.plane.roll().rad(), tau);
    // Position angles grow from north to east: (ξ, η) turned from η towards ξ.
    f.plane.cd = Eigen::Rotation2Dd(-share * turned) * before.plane.cd;
    f.sigmaCentre_arcsec =
        std::hypot((1.0 - share) * before.sigmaCentre_arcsec, share * after.sigmaCentre_arcsec);
    f.sigmaRoll_arcsec = std::hypot((1.0 - share) * before.sigmaRoll_arcsec, share * after.sigmaRoll_arcsec);
    return f;
}

BothFields::BothFields(const Rig& rig, double imaging_s, double guide_s)
    : site_(rig.site), guide_(rig, CameraRole::guide, guide_s), imaging_(rig, CameraRole::imaging, imaging_s),
      again_(rig, CameraRole::guide, guide_s) {}

Step BothFields::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    if (!guide_.solved()) {
        if (auto step = guide_.next(event))
            return *step;
    }
    if (!imaging_.solved()) {
        if (auto step = imaging_.next(event))
            return *step;
    }
    if (auto step = again_.next(event))
        return *step;
    BothFieldsResult r;
    r.imaging = *imaging_.solved();
    r.guide = betweenFrames(*guide_.solved(), *again_.solved(), r.imaging.when);
    const TangentPlane imaging = seenPlane(r.imaging, site_);
    const TangentPlane guide = seenPlane(r.guide, site_);
    r.offset = guideOffset(imaging, guide);
    r.apart_arcmin = separation(imaging.centre, guide.centre).arcmin();
    // Usual air moves each frame of some seconds for itself, and the mount creeps not quite evenly.
    constexpr double restless_arcsec = 0.62;
    r.sigma_arcsec = std::hypot(r.imaging.sigmaCentre_arcsec, r.guide.sigmaCentre_arcsec, restless_arcsec);
    result_ = r;
    return DoneStep{};
}

Progress BothFields::progress() const {
    using State = ProgressStep::State;
    const bool one = guide_.solved().has_value();
    const bool two = imaging_.solved().has_value();
    const bool three = again_.solved().has_value();
    Progress p;
    p.steps = {{Text::say("Guide camera"), one ? State::done : State::running},
               {Text::say("Imaging camera"), two   ? State::done
                                             : one ? State::running
                                                   : State::ahead},
               {Text::say("Guide camera again"), three ? State::done
                                                 : two ? State::running
                                                       : State::ahead}};
    p.fraction = (one + two + three) / 3.0;
    p.waitingFor = two ? again_.waitingFor() : one ? imaging_.waitingFor() : guide_.waitingFor();
    return p;
}

Step AngleWatch::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    auto step = look_.next(event);
    if (step && !std::holds_alternative<FailStep>(*step))
        return *step;
    ++looks_;
    unsolved_.reset();
    if (step)
        unsolved_ = std::get<FailStep>(*step).problem;
    else
        last_ = look_.solved();
    look_.again();
    return *look_.next(event);
}

Progress AngleWatch::progress() const {
    Progress p;
    p.fraction = -1.0;
    p.waitingFor = look_.waitingFor();
    return p;
}

} // namespace nordstjerna
