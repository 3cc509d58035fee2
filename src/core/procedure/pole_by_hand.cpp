#include "core/procedure/pole_by_hand.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/procedure/camera_side.h"
#include "core/procedure/slew.h"

namespace nordstjerna {

namespace {
// Two frames one after the other show the same place: the sky's own turning in between is 0.05° at most where
// the mount does not track.
constexpr double atRest_deg = 0.1;
// Turned about the RA axis, and not about another one; of an axis that points to within some degrees.
constexpr double offAxis_deg = 12.0;
constexpr double tooFar_deg = 90.0; // from the first to the last
} // namespace

Turned turnedBetween(const Sighting& first, const Sighting& second) {
    const Eigen::AngleAxisd turn(Mat3(second.camera * first.camera.transpose()));
    return {turn.angle() * 180.0 / M_PI, turn.axis()};
}

Step PoleByHand::look() const {
    return ExposeStep{setup_.exposure_s, solvingCamera(setup_.rig)};
}

Step PoleByHand::advance(const Event& event) {
    // What was measured is kept.
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    if (const auto end = brokenOff(event))
        return *end;
    if (std::holds_alternative<Started>(event.what))
        return TrackingStep{true}; // so that nothing but the hand turns the sky
    if (const auto* solved = std::get_if<FrameSolved>(&event.what))
        return afterSolve(event, *solved);
    if (std::holds_alternative<FrameTaken>(event.what)) {
        const CameraRole camera = solvingCamera(setup_.rig);
        SolveStep solve = solveStepFor(setup_.rig, camera, solveBinning(setup_.rig, camera), event);
        // Where the mount believes to point is of no use once the axis was turned without it.
        if (lastSeen_)
            solve.near = lastSeen_;
        frame_ = solve.frame;
        return solve;
    }
    return look();
}

Step PoleByHand::afterSolve(const Event& event, const FrameSolved& solved) {
    wrong_.reset();
    if (!solved.solution) {
        unsolved_ = diagnoseUnsolved(*frame_, solved.solution.error());
        before_.reset();
        moving_ = true; // a moving camera draws trails
        return look();
    }
    unsolved_.reset();
    lastSeen_ = solved.solution->plane.centre;
    const ObservedFrame at(setup_.rig.site, solved.solution->when, setup_.dut1_s);
    const Sighting here = makeSighting(*solved.solution, at, airMotion_arcsec(frame_->info.exposure_s));
    moving_ = !before_ || turnedBetween(*before_, here).angle_deg > atRest_deg;
    before_ = here;
    if (taken_.empty()) {
        sinceLast_deg_ = 0.0;
        if (!moving_)
            keep({here, *solved.solution, frame_}, event.now);
        return enough() ? Step(DoneStep{}) : look();
    }
    const Turned turned = turnedBetween(taken_.back().sighting, here);
    sinceLast_deg_ = turned.angle_deg;
    // Of all kept ones: a place that is taken again tells little.
    double nearest = 1e9, farthest = 0.0;
    for (const TakenSighting& t : taken_) {
        const double apart = turnedBetween(t.sighting, here).angle_deg;
        nearest = std::min(nearest, apart);
        farthest = std::max(farthest, apart);
    }
    constexpr double worthJudging_deg = 3.0;
    const Vec3 pole(0.0, cos(setup_.rig.site.latitude), sin(setup_.rig.site.latitude));
    const double off_deg = std::acos(std::min(1.0, std::abs(turned.about.dot(pole)))) * 180.0 / M_PI;
    if (turned.angle_deg > worthJudging_deg && off_deg > offAxis_deg)
        wrong_ =
            Text::say("Not about the RA axis alone: the camera turned %1° about a line %2° from the pole. "
                      "Clamp the other axis and turn on.")
                .arg(formatNumber(turned.angle_deg, 0))
                .arg(formatNumber(off_deg, 0));
    else if (farthest > tooFar_deg)
        wrong_ =
            Text::say("That is %1° from the first sighting, more than is safe to count. Turn back a little.")
                .arg(formatNumber(farthest, 0));
    else if (!moving_ && nearest >= setup_.step_deg)
        keep({here, *solved.solution, frame_}, event.now);
    return enough() ? Step(DoneStep{}) : look();
}

void PoleByHand::keep(const TakenSighting& sighting, Instant now) {
    taken_.push_back(sighting);
    sinceLast_deg_ = 0.0;
    std::vector<Sighting> all;
    for (const TakenSighting& t : taken_) {
        for (const Sighting& s : all)
            span_deg_ = std::max(span_deg_, turnedBetween(s, t.sighting).angle_deg);
        all.push_back(t.sighting);
    }
    if (all.size() < 2)
        return;
    if (auto result = poleResult(all, setup_.rig.site, setup_.reference, now))
        result_ = std::move(*result);
}

bool PoleByHand::enough() const {
    if (static_cast<int>(taken_.size()) >= setup_.most)
        return true;
    return result_ && static_cast<int>(taken_.size()) >= setup_.sightings && span_deg_ >= setup_.enough_deg &&
           result_->error.total_arcmin.sigma <= setup_.wanted_arcmin;
}

Text PoleByHand::ask() const {
    if (wrong_)
        return *wrong_;
    if (unsolved_)
        return taken_.empty() && !sinceLast_deg_
                   ? unsolved_->said()
                   : Text::say("Not solved: it still moves, or something stands before the stars.");
    if (taken_.empty())
        return Text::say("Clamp both axes, and leave the telescope alone for the first sighting.");
    if (moving_ && sinceLast_deg_ && *sinceLast_deg_ > atRest_deg)
        return *sinceLast_deg_ >= setup_.step_deg ? Text::say("Far enough: clamp it, and leave it alone.")
                                                  : Text::say("Turn on, about the RA axis alone.");
    const double left = setup_.step_deg - sinceLast_deg_.value_or(0.0);
    if (left > 0.0)
        return Text::say("Loosen the RA axis, turn it by %1° or more, and clamp it again.")
            .arg(formatNumber(std::ceil(left), 0));
    return Text::say("Leave it alone: the next frame is the sighting.");
}

Progress PoleByHand::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const size_t count =
        std::max<size_t>(static_cast<size_t>(setup_.sightings), taken_.size() + (enough() ? 0 : 1));
    for (size_t i = 0; i < count; ++i)
        p.steps.push_back({Text::say("Sighting %1").arg(i + 1), i < taken_.size()    ? State::done
                                                                : i == taken_.size() ? State::running
                                                                                     : State::ahead});
    p.fraction = -1.0; // a person's pace
    p.waitingFor = sinceLast_deg_ && !taken_.empty()
                       ? Text::say("turned by %1° since the last").arg(formatNumber(*sinceLast_deg_, 0))
                       : Text::say("solving frame after frame");
    return p;
}

} // namespace nordstjerna
