#include "core/procedure/pole_measurement.h"

#include "core/base/format.h"
#include "core/image/star_detect.h"
#include "core/rig/scales.h"

namespace nordstjerna {

PoleMeasurement::PoleMeasurement(PoleMeasurementSetup setup)
    : setup_(std::move(setup)), exposure_s_(setup_.exposure_s) {}

Step PoleMeasurement::next(const Event& event) {
    if (const auto* failed = std::get_if<StepFailed>(&event.what)) {
        phase_ = Phase::ended;
        return FailStep{failed->problem};
    }
    if (std::holds_alternative<StopAsked>(event.what)) {
        phase_ = Phase::ended;
        return DoneStep{};
    }
    switch (phase_) {
    case Phase::start:
        phase_ = Phase::tracking;
        return TrackingStep{true};
    case Phase::tracking:
        return slewToNext(event);
    case Phase::slewing:
        phase_ = Phase::settling;
        return WaitStep{setup_.settle_s, "the mount settles"};
    case Phase::settling:
        phase_ = Phase::exposing;
        return ExposeStep{exposure_s_, CameraRole::guide};
    case Phase::exposing: {
        frame_ = std::get<FrameTaken>(event.what).frame;
        phase_ = Phase::solving;
        SolveStep solve;
        solve.frame = frame_;
        solve.scale_arcsec_px = scalesOf(setup_.rig).guide_arcsec_px;
        // Where the mount believes to look, unless the last try with that hint failed.
        if (attempt_ == 0)
            solve.near = ObservedFrame(setup_.rig.site, event.now).icrsFrom(event.mount.pointing);
        return solve;
    }
    case Phase::solving:
        return afterSolve(event, std::get<FrameSolved>(event.what));
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

Step PoleMeasurement::slewToNext(const Event& event) {
    const HourAngleDec& to = setup_.arc.places[place_];
    const Vec3 enu = directionOf(setup_.rig.site, to);
    if (setup_.rig.horizon.hides(enu) || enu.z() < 0.0) {
        phase_ = Phase::ended;
        return FailStep{
            {"Sighting " + std::to_string(place_ + 1) + " lies behind the horizon profile.",
             "At azimuth " + formatNumber(altAzFrom(enu).azimuth.deg(), 0) + "° the sky is free only above " +
                 formatNumber(setup_.rig.horizon.altitudeAt(altAzFrom(enu).azimuth).deg(), 0) + "°.",
             "Plan the arc elsewhere."}};
    }
    phase_ = Phase::slewing;
    const double way =
        std::max(std::abs((to.hourAngle - event.mount.pointing.hourAngle).wrappedSigned().deg()),
                 std::abs((to.dec - event.mount.pointing.dec).deg()));
    return SlewStep{to, "Slewing to sighting " + std::to_string(place_ + 1) + " of " +
                            std::to_string(setup_.arc.places.size()) + ": hour angle " +
                            formatHourAngle(to.hourAngle) + ", Dec " + formatNumber(to.dec.deg(), 0) +
                            "°, about " + formatDuration(way / setup_.rig.mount.slewRate_deg_s)};
}

Step PoleMeasurement::afterSolve(const Event& event, const FrameSolved& solved) {
    if (!solved.solution) {
        if (attempt_ < setup_.retries) {
            ++attempt_;
            exposure_s_ *= 2.0;
            phase_ = Phase::exposing;
            return ExposeStep{exposure_s_, CameraRole::guide};
        }
        phase_ = Phase::ended;
        return FailStep{diagnoseUnsolved(*frame_, solved.solution.error())};
    }
    const ObservedFrame at(setup_.rig.site, solved.solution->when, setup_.dut1_s);
    taken_.push_back({makeSighting(*solved.solution, at), *solved.solution, frame_});
    attempt_ = 0;
    exposure_s_ = setup_.exposure_s;
    if (++place_ < setup_.arc.places.size())
        return slewToNext(event);
    return finish(event);
}

Step PoleMeasurement::finish(const Event& event) {
    phase_ = Phase::ended;
    std::vector<Sighting> sightings;
    for (const Taken& t : taken_)
        sightings.push_back(t.sighting);
    const auto fit = fitAxis(sightings, setup_.rig.site);
    if (!fit)
        return FailStep{fit.error()};
    const auto other =
        setup_.reference == PoleReference::refracted ? PoleReference::geometric : PoleReference::refracted;
    result_ = PoleResult{*fit, poleError(*fit, setup_.rig.site, setup_.reference),
                         poleError(*fit, setup_.rig.site, other), sightings, event.now};
    return DoneStep{};
}

Progress PoleMeasurement::progress() const {
    Progress p;
    const size_t n = setup_.arc.places.size();
    for (size_t i = 0; i < n; ++i) {
        ProgressStep s{"Sighting " + std::to_string(i + 1), ProgressStep::State::ahead};
        if (i < taken_.size())
            s.state = ProgressStep::State::done;
        else if (i == taken_.size() && phase_ != Phase::ended && phase_ != Phase::start)
            s.state = ProgressStep::State::running;
        p.steps.push_back(s);
    }
    p.fraction = static_cast<double>(taken_.size()) / static_cast<double>(n);
    const double each = setup_.settle_s + setup_.exposure_s + 1.0 +
                        setup_.arc.span_deg / static_cast<double>(std::max<size_t>(1, n - 1)) /
                            setup_.rig.mount.slewRate_deg_s;
    p.timeLeft_s = each * static_cast<double>(n - taken_.size());
    switch (phase_) {
    case Phase::slewing:
        p.waitingFor = "slewing to sighting " + std::to_string(place_ + 1);
        break;
    case Phase::settling:
        p.waitingFor = "the mount settles";
        break;
    case Phase::exposing:
        p.waitingFor = "exposing " + formatNumber(exposure_s_, 0) + " s" +
                       (attempt_ ? ", longer after a failed solve" : "");
        break;
    case Phase::solving:
        p.waitingFor = "solving";
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
        return {"The frame could not be solved: the background is " + formatNumber(field->background, 0) +
                    " of " + formatNumber(saturation, 0) + ".",
                "The sky is too bright, or a lamp is on.", "Shorten the exposure or shield the telescope."};
    if (stars < 8)
        return {"The frame could not be solved: " + formatCount(stars, "star") + ".",
                "Cloud, a cap on the telescope, or far out of focus" +
                    (stars ? " (HFD " + formatNumber(typicalHfd(*field), 1) + " px)." : std::string(".")),
                "Check cover, focus and sky, or expose longer."};
    return {"The frame could not be solved although it shows " + formatCount(stars, "star") + ".",
            "No match in the star index: the focal length or pixel size of the rig may be wrong. " +
                solver.why,
            "Check the guide focal length, the pixel size and the binning."};
}

} // namespace nordstjerna
