#include "core/procedure/calibration_run.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/calibration/calibration_look.h"
#include "core/image/guide_star_choice.h"
#include "core/rig/scales.h"

namespace nordstjerna {

namespace {
constexpr int fewestSteps = 6;
constexpr int mostSteps = 25;
constexpr double clearing_s = 25.0; // of pulses at most
constexpr size_t quietLooks = 6;
constexpr int mostRests = 4;        // looks until a late mount stands still
constexpr double stillMoving = 4.0; // σ of one place along the way
// What slow air and a worm that turns meanwhile add to the ± of a straight line through white noise.
constexpr double besidesNoise = 1.3;
constexpr int fewestWanted = 10, mostWanted = 16; // pulses of a leg
constexpr double shortest_px = 12.0;              // nearer than that a centroid's own errors show

// Before the star has shown its own.
constexpr double usualNoise_px = 0.2, anyRoom_px = 60.0;

// A look and the pause before it, with the frame's way from the camera.
double lookTime_s(const CalibrationRunSetup& setup) {
    constexpr double download_s = 0.3;
    return setup.exposure_s + setup.pause_s + download_s;
}

double distance(const Star& a, const Star& b) {
    return std::hypot(a.x - b.x, a.y - b.y);
}
} // namespace

LegPlan planLegs(const CalibrationSetup& circumstances, double noise_px, double wanted, double look_s,
                 double room_px) {
    const double reach = besidesNoise * noise_px * std::sqrt(6.0) / wanted; // L √N
    const double rate_px_s = circumstances.expectedRaPxS() * cos(circumstances.dec);
    const double best = std::pow(reach / (2.0 * look_s * rate_px_s), 2.0 / 3.0);
    LegPlan plan;
    plan.steps = std::clamp(static_cast<int>(std::lround(best)), fewestWanted, mostWanted);
    plan.travel_px =
        std::max(shortest_px, std::min(reach / std::sqrt(static_cast<double>(plan.steps)), room_px));
    plan.step_ms = suggestedPulseStep_ms(circumstances.scale_arcsec_px, circumstances.guideRateRa,
                                         circumstances.dec, plan.travel_px, plan.steps);
    return plan;
}

LegPlan usualLegs(const Rig& rig) {
    CalibrationSetup circumstances;
    circumstances.scale_arcsec_px = scalesOf(rig).guide_arcsec_px;
    circumstances.guideRateRa = rig.mount.guideRateRa;
    const CalibrationRunSetup usual;
    return planLegs(circumstances, usualNoise_px, usual.wanted, lookTime_s(usual), anyRoom_px);
}

CalibrationRun::CalibrationRun(CalibrationRunSetup setup)
    : setup_(std::move(setup)), pause_s_(setup_.pause_s) {
    const Rig& rig = setup_.rig;
    circumstances_.scale_arcsec_px = scalesOf(rig).guide_arcsec_px;
    circumstances_.guideRateRa = rig.mount.guideRateRa;
    circumstances_.guideRateDec = rig.mount.guideRateDec;
    circumstances_.bin = rig.guideCamera.bin;
    circumstances_.wormPeriod_s = rig.mount.wormPeriod_s;
    circumstances_.decMotor = rig.mount.decMotor;
}

Step CalibrationRun::fail(Problem p) {
    phase_ = Phase::ended;
    return FailStep{std::move(p)};
}

Step CalibrationRun::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    if (!begin_)
        begin_ = event.now;
    if (phase_ == Phase::start) {
        const Angle dec = event.mount.pointing.dec;
        if (std::abs(dec.deg()) > 65.0)
            return fail({Text::say("Declination %1° is too near the pole to calibrate.")
                             .arg(formatNumber(dec.deg(), 0)),
                         Text::say("RA motion shrinks with the cosine of the declination."),
                         Text::say("Slew to within 20° of the celestial equator, or reuse earlier rates.")});
        circumstances_.dec = dec;
        circumstances_.hourAngle_h = event.mount.pointing.hourAngle.hours();
        circumstances_.side = event.mount.side;
        plan(usualNoise_px, anyRoom_px);
        phase_ = Phase::finding;
        return ExposeStep{std::max(2.0, setup_.exposure_s), CameraRole::guide};
    }
    if (phase_ == Phase::finding)
        return choose(event);
    if (phase_ == Phase::orienting)
        return orient(std::get<FrameSolved>(event.what));
    if (pulsing_) {
        pulsing_ = false;
        pausing_ = true;
        pulseEnd_ = event.now;
        return WaitStep{pause_s_, Text::say("the axis to settle")};
    }
    if (pausing_) {
        pausing_ = false;
        return look();
    }
    if (const auto* tracked = std::get_if<StarsTracked>(&event.what)) {
        if (tracked->stars.empty() || !tracked->stars.front()) {
            if (++lost_ > 4 && atEdge())
                return fail({Text::say("The star has left the frame."),
                             Text::say("It was last seen at (%1, %2) of %3 × %4 px.")
                                 .arg(formatNumber(star_->x, 0))
                                 .arg(formatNumber(star_->y, 0))
                                 .arg(frame_->width)
                                 .arg(frame_->height),
                             Text::say("Centre a star, or shorten the wanted travel.")});
            if (lost_ > 4)
                return fail({Text::say("The guide star was lost."),
                             Text::say("It was not found in five frames in a row."),
                             Text::say("Check for cloud, choose a brighter star, and measure again.")});
            return look();
        }
        lost_ = 0;
        return onStar(event, *tracked->stars.front(), tracked->middle);
    }
    return look();
}

Step CalibrationRun::choose(const Event& event) {
    frame_ = std::get<FrameTaken>(event.what).frame;
    ChoiceOptions options;
    // All four legs start from one place; the star needs their length on every side.
    options.edge_px = std::max(60.0, 2.2 * travel_px_);
    const auto found = guideFieldOn(*frame_, options);
    if (!found)
        return fail(found.error());
    star_ = found->chosen.front();
    // The sky's directions on the sensor tell swapped and reversed axes; without a solution the rates are
    // measured all the same.
    phase_ = Phase::orienting;
    SolveStep solve;
    solve.frame = frame_;
    solve.scale_arcsec_px = circumstances_.scale_arcsec_px;
    solve.near = ObservedFrame(setup_.rig.site, event.now).icrsFrom(event.mount.pointing);
    solve.timeLimit_s = 2.0;
    return solve;
}

Step CalibrationRun::orient(const FrameSolved& solved) {
    if (solved.solution) {
        const SkyOnSensor sky = skyOnSensor(solved.solution->plane);
        circumstances_.east_deg = sky.east_deg;
        circumstances_.north_deg = sky.north_deg;
        circumstances_.directionSigma_deg = solved.solution->sigmaRoll_arcsec / 3600.0;
    }
    phase_ = Phase::firstLook;
    return look();
}

bool CalibrationRun::atEdge() const {
    constexpr double margin = 25.0;
    return star_->x < margin || star_->y < margin || star_->x > frame_->width - margin ||
           star_->y > frame_->height - margin;
}

Step CalibrationRun::look() const {
    TrackStep step;
    step.exposure_s = setup_.exposure_s;
    const double search = std::max(12.0, 3.0 * travel_px_ / steps_);
    step.stars.push_back({star_->x, star_->y, search + 8.0 * lost_});
    return step;
}

Step CalibrationRun::pulse(Leg leg) {
    pulsing_ = true;
    ++pulses_;
    switch (leg) {
    case Leg::west:
        return PulseStep{step_ms_, 0.0};
    case Leg::east:
        return PulseStep{-step_ms_, 0.0};
    case Leg::north:
        return PulseStep{0.0, step_ms_};
    case Leg::south:
        break;
    }
    return PulseStep{0.0, -step_ms_};
}

Step CalibrationRun::onStar(const Event&, const Star& star, Instant middle) {
    const double t = middle - *begin_;
    switch (phase_) {
    case Phase::firstLook:
        return listen(star);
    case Phase::clearing:
        return clearing(star);
    case Phase::resting:
        return resting(star, middle);
    default:
        return inLeg(star, t);
    }
}

void CalibrationRun::plan(double noise_px, double room_px) {
    const LegPlan legs = planLegs(circumstances_, noise_px, setup_.wanted, lookTime_s(setup_), room_px);
    travel_px_ = legs.travel_px;
    steps_ = legs.steps;
    step_ms_ = legs.step_ms;
}

// How restless the star is decides how far it must be sent: rates are only as good as travel over noise.
Step CalibrationRun::listen(const Star& star) {
    star_ = star;
    quiet_.push_back(star);
    if (quiet_.size() < quietLooks)
        return look();
    double squares = 0.0;
    for (size_t i = 1; i < quiet_.size(); ++i)
        squares += std::pow(quiet_[i].x - quiet_[i - 1].x, 2) + std::pow(quiet_[i].y - quiet_[i - 1].y, 2);
    const double noise = std::sqrt(squares / (4.0 * static_cast<double>(quiet_.size() - 1)));
    const double room = std::min(std::min(star.x, frame_->width - 1 - star.x),
                                 std::min(star.y, frame_->height - 1 - star.y)) -
                        30.0;
    noise_px_ = noise;
    plan(noise, 0.8 * room);
    if (!circumstances_.decMotor) { // no backlash to take up
        phase_ = Phase::leg;
        return beginLeg(Leg::west, star, -1.0);
    }
    phase_ = Phase::clearing;
    pulses_ = 0;
    followed_ = 0;
    return pulse(Leg::north);
}

Step CalibrationRun::clearing(const Star& star) {
    const double expected = circumstances_.expectedDecPxS() * step_ms_ / 1000.0;
    const double moved = distance(star, *star_);
    if (moved > 0.5 * expected)
        way_ = Eigen::Vector2d(star.x - star_->x, star.y - star_->y) / moved;
    star_ = star;
    followed_ = moved > 0.5 * expected ? followed_ + 1 : 0;
    const double pulsed_s = pulses_ * step_ms_ / 1000.0;
    // Three seconds at least, and two pulses in a row that the star follows.
    if (followed_ >= 2 && pulsed_s >= 3.0) {
        phase_ = Phase::resting;
        return look();
    }
    if (pulsed_s >= clearing_s) {
        // Not a failure yet: the rate may be far from what the rig promises; the legs will tell.
        phase_ = Phase::leg;
        return beginLeg(Leg::west, star, -1.0);
    }
    return pulse(Leg::north);
}

// Without a pulse the star stands where it was, unless the last one is still on its way.
Step CalibrationRun::resting(const Star& star, Instant middle) {
    const double on = way_.dot(Eigen::Vector2d(star.x - star_->x, star.y - star_->y));
    star_ = star;
    if (on > stillMoving * noise_px_ && ++rests_ <= mostRests) {
        // By the end of this frame it may stand still; the next one tells.
        pause_s_ = middle - pulseEnd_ + 0.5 * setup_.exposure_s;
        return look();
    }
    phase_ = Phase::leg;
    return beginLeg(Leg::west, star, -1.0);
}

Step CalibrationRun::beginLeg(Leg leg, const Star& star, double t_s) {
    leg_ = leg;
    legStart_ = star;
    pulses_ = 0;
    if (t_s < 0.0) { // the leg starts with a look of its own
        pulses_ = -1;
        return look();
    }
    samples_.push_back({t_s, star.x, star.y, leg, 0.0});
    return pulse(leg);
}

Step CalibrationRun::restartWith(double step_ms) {
    if (++restarts_ > 3)
        return fail({Text::say("No pulse length suits this mount."),
                     Text::say("Legs came out with too few or too many steps in four tries."),
                     Text::say("Check the guide rate in the mount and the guide focal length in the rig.")});
    step_ms_ = step_ms;
    samples_.clear();
    phase_ = Phase::leg;
    return beginLeg(Leg::west, *star_, -1.0);
}

Step CalibrationRun::inLeg(const Star& star, double t_s) {
    star_ = star;
    if (pulses_ < 0) {
        samples_.clear();
        pulses_ = 0;
        legStart_ = star;
        samples_.push_back({t_s, star.x, star.y, leg_, 0.0});
        return pulse(leg_);
    }
    samples_.push_back({t_s, star.x, star.y, leg_, step_ms_});
    const double moved = distance(star, *legStart_);
    const bool outward = leg_ == Leg::west || leg_ == Leg::north;
    if (outward) {
        if (leg_ == Leg::west && pulses_ >= 6 && moved < 1.5)
            return fail(
                {Text::say("The star does not follow RA pulses."),
                 Text::say("After %1 of %2 ms it moved %3 px.")
                     .arg(Text::say("%n pulse|%n pulses", "", pulses_))
                     .arg(formatNumber(step_ms_, 0))
                     .arg(formatNumber(moved, 1)),
                 Text::say(
                     "Check the guide cable or link, that the mount is not parked, and its guide rate.")});
        if (leg_ == Leg::north && pulses_ >= mostSteps && moved < 1.5)
            return fail(
                {Text::say("The star does not follow Dec pulses."),
                 Text::say("After %1 of %2 ms it moved %3 px.")
                     .arg(Text::say("%n pulse|%n pulses", "", pulses_))
                     .arg(formatNumber(step_ms_, 0))
                     .arg(formatNumber(moved, 1)),
                 Text::say("Check the guide cable or link, the Dec clutch, and the mount's guide rate.")});
        const bool far = moved >= travel_px_;
        if (far && pulses_ < fewestSteps)
            return restartWith(step_ms_ * pulses_ / static_cast<double>(steps_));
        if (!far && pulses_ < mostSteps)
            return pulse(leg_);
        if (!far && leg_ == Leg::west)
            return restartWith(step_ms_ * std::clamp(travel_px_ / std::max(moved, 1.0), 1.3, 8.0));
        outward_ = pulses_;
        return beginLeg(leg_ == Leg::west ? Leg::east : Leg::south, star, t_s);
    }
    if (pulses_ < outward_)
        return pulse(leg_);
    // A gap of many steps: the way back goes on until the star follows.
    constexpr int mostMore = 40;
    if (leg_ == Leg::south && moved < 0.4 * travel_px_ && pulses_ < outward_ + mostMore)
        return pulse(leg_);
    if (leg_ == Leg::east && circumstances_.decMotor)
        return beginLeg(Leg::north, star, t_s);
    phase_ = Phase::ended;
    auto calibration = fitCalibration(samples_, circumstances_);
    if (!calibration)
        return fail(calibration.error());
    result_ = std::move(*calibration);
    return DoneStep{};
}

Progress CalibrationRun::progress() const {
    Progress p;
    const bool both = circumstances_.decMotor;
    const std::vector<Text> names =
        both ? std::vector<Text>{Text::say("Choose a star"), Text::say("Take up the backlash"),
                                 Text::say("West"),          Text::say("East"),
                                 Text::say("North"),         Text::say("South")}
             : std::vector<Text>{Text::say("Choose a star"), Text::say("Watch it"), Text::say("West"),
                                 Text::say("East")};
    size_t current = 0;
    if (phase_ == Phase::firstLook || phase_ == Phase::clearing || phase_ == Phase::resting)
        current = 1; // orienting still counts as choosing
    else if (phase_ == Phase::leg)
        current = 2 + static_cast<size_t>(leg_);
    else if (phase_ == Phase::ended)
        current = result_ ? names.size() : 2 + static_cast<size_t>(leg_);
    for (size_t i = 0; i < names.size(); ++i)
        p.steps.push_back({names[i], i < current                              ? ProgressStep::State::done
                                     : i == current && phase_ != Phase::ended ? ProgressStep::State::running
                                                                              : ProgressStep::State::ahead});
    p.fraction = static_cast<double>(current) / static_cast<double>(names.size());
    const double each = step_ms_ / 1000.0 + lookTime_s(setup_) + pause_s_ - setup_.pause_s;
    if (phase_ == Phase::leg) {
        const int length = outward_ > 0 ? outward_ : steps_;
        const int after = (both ? 3 : 1) - static_cast<int>(leg_);
        p.timeLeft_s = each * (std::max(0, length - pulses_) + after * length);
        p.waitingFor = Text::say("%1 pulse %2 of about %3, %4 ms each")
                           .arg(Text::say(legName(leg_)))
                           .arg(std::max(0, pulses_))
                           .arg(length)
                           .arg(formatNumber(step_ms_, 0));
    } else if (phase_ != Phase::ended && phase_ != Phase::start) {
        p.timeLeft_s = each * (both ? 4.4 : 2.2) * steps_;
        p.waitingFor = phase_ == Phase::finding     ? Text::say("first frame")
                       : phase_ == Phase::firstLook ? Text::say("how restless the star is")
                       : phase_ == Phase::resting   ? Text::say("the star to stand still")
                                                    : Text::say("north pulses until the star follows");
    }
    return p;
}

} // namespace nordstjerna
