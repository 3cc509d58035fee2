#include "core/procedure/pole_measurement.h"

#include <algorithm>

#include "core/base/format.h"
#include "core/image/star_detect.h"
#include "core/procedure/camera_side.h"
#include "core/procedure/slew.h"

namespace nordstjerna {

PoleMeasurement::PoleMeasurement(PoleMeasurementSetup setup)
    : setup_(std::move(setup)), exposure_s_(setup_.exposure_s), taken_(setup_.kept),
      failures_(setup_.arc.places.size()) {
    taken_.resize(setup_.arc.places.size());
}

Step PoleMeasurement::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    switch (phase_) {
    case Phase::start:
        return goOn(event);
    case Phase::arriving:
        if (auto step = arrival_.next())
            return std::move(*step);
        phase_ = Phase::exposing;
        return ExposeStep{exposure_s_, solvingCamera(setup_.rig)};
    case Phase::exposing: {
        phase_ = Phase::solving;
        const CameraRole camera = solvingCamera(setup_.rig);
        SolveStep solve = solveStepFor(setup_.rig, camera, solveBinning(setup_.rig, camera), event);
        frame_ = solve.frame;
        return solve;
    }
    case Phase::solving:
        return afterSolve(event, std::get<FrameSolved>(event.what));
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

int PoleMeasurement::count() const {
    return static_cast<int>(std::count_if(taken_.begin(), taken_.end(), [](const auto& t) { return !!t; }));
}

Step PoleMeasurement::goOn(const Event& event) {
    while (place_ < taken_.size() && taken_[place_])
        ++place_;
    if (place_ == taken_.size())
        return finish(event);
    const HourAngleDec& to = setup_.arc.places[place_];
    if (auto obstacle = slewObstacle(setup_.rig, to)) {
        phase_ = Phase::ended;
        obstacle->what = Text::say("Sighting %1 lies behind the horizon profile.").arg(place_ + 1);
        obstacle->remedy = Text::say("Plan the arc elsewhere.");
        return FailStep{*obstacle};
    }
    phase_ = Phase::arriving;
    return arrival_.begin(announcedSlew(setup_.rig, event, to,
                                        Text::say("Slewing to sighting %1 of %2: hour angle %3, Dec %4°")
                                            .arg(place_ + 1)
                                            .arg(taken_.size())
                                            .arg(formatHourAngle(to.hourAngle))
                                            .arg(formatNumber(to.dec.deg(), 0))),
                          setup_.settle_s);
}

Step PoleMeasurement::afterSolve(const Event& event, const FrameSolved& solved) {
    if (!solved.solution && attempt_ < setup_.retries) {
        ++attempt_;
        exposure_s_ *= 2.0;
        phase_ = Phase::exposing;
        return ExposeStep{exposure_s_, solvingCamera(setup_.rig)};
    }
    if (solved.solution) {
        const ObservedFrame at(setup_.rig.site, solved.solution->when, setup_.dut1_s);
        taken_[place_] =
            TakenSighting{makeSighting(*solved.solution, at, airMotion_arcsec(frame_->info.exposure_s)),
                          *solved.solution, frame_};
    } else {
        failures_[place_] = diagnoseUnsolved(*frame_, solved.solution.error());
        failures_[place_]->what = Text::say("Sighting %1: %2").arg(place_ + 1).arg(failures_[place_]->what);
    }
    attempt_ = 0;
    exposure_s_ = setup_.exposure_s;
    ++place_;
    return goOn(event);
}

Step PoleMeasurement::finish(const Event& event) {
    phase_ = Phase::ended;
    if (count() < 2) {
        const auto first =
            std::find_if(failures_.begin(), failures_.end(), [](const auto& f) { return !!f; });
        return FailStep{**first};
    }
    std::vector<Sighting> sightings;
    for (const auto& t : taken_)
        if (t)
            sightings.push_back(t->sighting);
    auto result = poleResult(sightings, setup_.rig.site, setup_.reference, event.now);
    if (!result)
        return FailStep{result.error()};
    result_ = std::move(*result);
    return DoneStep{};
}

Expected<PoleResult> poleResult(const std::vector<Sighting>& sightings, const Site& site,
                                PoleReference reference, Instant when) {
    const auto fit = fitAxis(sightings, site);
    if (!fit)
        return tl::unexpected(fit.error());
    const auto other =
        reference == PoleReference::refracted ? PoleReference::geometric : PoleReference::refracted;
    return PoleResult{*fit, poleError(*fit, site, reference), poleError(*fit, site, other), sightings, when};
}

Progress PoleMeasurement::progress() const {
    Progress p;
    const size_t n = setup_.arc.places.size();
    for (size_t i = 0; i < n; ++i) {
        ProgressStep s{Text::say("Sighting %1").arg(i + 1), ProgressStep::State::ahead};
        if (taken_[i])
            s.state = ProgressStep::State::done;
        else if (i == place_ && phase_ != Phase::ended && phase_ != Phase::start)
            s.state = ProgressStep::State::running;
        p.steps.push_back(s);
    }
    const auto left = n - static_cast<size_t>(count());
    p.fraction = 1.0 - static_cast<double>(left) / static_cast<double>(n);
    const double each = setup_.settle_s + setup_.exposure_s + 1.0 +
                        setup_.arc.span_deg / static_cast<double>(std::max<size_t>(1, n - 1)) /
                            setup_.rig.mount.slewRate_deg_s;
    p.timeLeft_s = each * static_cast<double>(left);
    switch (phase_) {
    case Phase::arriving:
        p.waitingFor = arrival_.slewing() ? Text::say("slewing to sighting %1").arg(place_ + 1)
                                          : Text::say("the mount settles");
        break;
    case Phase::exposing:
        p.waitingFor = exposingWords(exposure_s_, attempt_ > 0);
        break;
    case Phase::solving:
        p.waitingFor = Text::say("solving");
        break;
    default:
        break;
    }
    return p;
}

Problem diagnoseUnsolved(const Frame& frame, const Problem& solver) {
    const auto field = detectStars(frame);
    if (!field)
        return field.error();
    const double saturation = frame.info.saturation_adu;
    const int stars = static_cast<int>(field->stars.size());
    if (field->background > 0.6 * saturation)
        return {Text::say("The frame could not be solved: the background is %1 of %2.")
                    .arg(formatNumber(field->background, 0))
                    .arg(formatNumber(saturation, 0)),
                Text::say("The sky is too bright, or a lamp is on."),
                Text::say("Shorten the exposure or shield the telescope.")};
    // A small field shows few stars under the clearest sky, and the solver knows how small it is.
    constexpr int fewest = 4;
    if (stars < 8 && !(solver.lasting && stars >= fewest))
        return {Text::say("The frame could not be solved: %1.").arg(Text::say("%n star|%n stars", "", stars)),
                stars ? Text::say("Cloud, a cap on the telescope, or far out of focus (HFD %1 px).")
                            .arg(formatNumber(typicalHfd(*field), 1))
                      : Text::say("Cloud, a cap on the telescope, or far out of focus."),
                Text::say("Check cover, focus and sky, or expose longer.")};
    // Satellites leave a track or two.
    if (field->tracks >= 8 && 5 * field->tracks > stars)
        return {Text::say("The frame could not be solved: its stars are trails, %1 of them.")
                    .arg(formatNumber(field->tracks, 0)),
                Text::say("The mount still moved while it was exposed, or does not track."),
                Text::say("Let it settle, see that it tracks, and expose again.")};
    return {Text::say("The frame could not be solved although it shows %n star.|The frame could not be "
                      "solved although it shows %n stars.",
                      "", stars),
            solver.briefly(),
            solver.remedy,
            solver.transient,
            solver.userRequested,
            solver.lasting};
}

Text exposingWords(double exposure_s, bool longer) {
    return (longer ? Text::say("exposing %1 s, longer after a failed solve") : Text::say("exposing %1 s"))
        .arg(formatNumber(exposure_s, 0));
}

} // namespace nordstjerna
