#include "core/procedure/focus_run.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/focus/critical_zone.h"
#include "core/procedure/focuser_move.h"
#include "core/rig/scales.h"

namespace nordstjerna {

namespace {
constexpr int mostExposures = 26;
constexpr int mostEmpty = 3;
constexpr double longestRun_s = 20.0;
// Where the curve wants to be known, in knees from its middle.
constexpr double slots[] = {-2.1, -1.1, 0.0, 1.1, 2.1};
constexpr double nearSlot = 0.55;
// Farther out than this, in knees, which side of the focus it stands on is asked with a shorter move first.
constexpr double farOutside = 6.0;

std::string place(double steps) {
    return formatNumber(steps, 0);
}
} // namespace

void keepBacklash(const FocusResult& result, FocuserSpec& focuser) {
    if (!result.backlash_steps)
        return;
    focuser.backlash_steps = result.backlash_steps->value;
    focuser.backlashSigma_steps = result.backlash_steps->sigma;
}

FocusRun::FocusRun(FocusRunSetup setup) : setup_(std::move(setup)), exposure_s_(setup_.exposure_s) {
    const CameraSpec& c = sensorOf(setup_.rig, setup_.camera);
    sharp_px_ = std::max(setup_.starGuess_arcsec / scaleOf(setup_.rig, setup_.camera), 1.5);
    if (setup_.focuser().step_um > 0.0) {
        slope_px_ =
            coneHfd_um_um(setup_.optics().focalRatio()) * setup_.focuser().step_um / (c.pixel_um * c.bin);
        slopeKnown_ = true;
    }
}

double FocusRun::takeUp() const {
    FocuserSpec f = setup_.focuser();
    if (backlash_ && backlash_->certain)
        f.backlash_steps = backlash_->steps.value, f.backlashSigma_steps = backlash_->steps.sigma;
    const double steps = takeUp_steps(f);
    return f.backlash_steps >= 0.0 ? steps : std::min(steps, 0.4 * (state_->highest - state_->lowest));
}

double FocusRun::distance(double hfd_px) const {
    return slope_px_ > 0.0 ? disc_px(hfd_px) / slope_px_ : 0.0;
}

double FocusRun::disc_px(double hfd_px) const {
    return std::sqrt(std::max(hfd_px * hfd_px - sharp_px_ * sharp_px_, 0.0));
}

Step FocusRun::fail(const Text& why, const Text& remedy) const {
    return FailStep{{Text::say("Cannot be focused here."), why, remedy}};
}

Step FocusRun::nextMove() {
    if (moves_.empty())
        return expose();
    asked_ = std::clamp(std::round(moves_.front()), std::ceil(state_->lowest), std::floor(state_->highest));
    moves_.pop_front();
    return FocuserStep{setup_.camera, static_cast<int>(*asked_)};
}

Step FocusRun::goTo(double steps) {
    const double here = state_->steps;
    const double to = std::clamp(steps, state_->lowest, state_->highest);
    moves_.clear();
    const bool taken = outwards_ ? to >= here : to - here >= takeUp();
    if (!taken)
        moves_.push_back(to - takeUp());
    moves_.push_back(to);
    outwards_ = true;
    return nextMove();
}

Step FocusRun::goInwards(double steps) {
    moves_ = {steps};
    outwards_ = false;
    return nextMove();
}

Step FocusRun::expose() {
    if (exposures_ >= mostExposures)
        return fail(Text::say("After %1 the sizes of the stars still do not make a curve.")
                        .arg(Text::say("%n frame|%n frames", "", exposures_)),
                    Text::say("Wait for better seeing or a clearer sky; lengthen the exposure."));
    return ExposeStep{exposure_s_, setup_.camera};
}

Step FocusRun::advance(const Event& event) {
    if (const auto* failed = std::get_if<StepFailed>(&event.what))
        return FailStep{failed->problem};
    if (std::holds_alternative<StopAsked>(event.what)) {
        // As it was found; the second time it is told, it is there.
        if (phase_ == Phase::asking || phase_ == Phase::ended || !state_)
            return DoneStep{};
        phase_ = Phase::ended;
        return FocuserStep{setup_.camera, static_cast<int>(std::round(began_))};
    }
    if (const auto* answer = std::get_if<FocuserAnswered>(&event.what)) {
        const auto before = state_ ? std::optional(state_->steps) : std::nullopt;
        if (auto fault = focuserFault(answer->state, asked_, before))
            return FailStep{*fault};
        state_ = answer->state;
        if (phase_ == Phase::asking) {
            began_ = state_->steps;
            phase_ = Phase::first;
            return expose();
        }
        if (phase_ == Phase::ended || (phase_ == Phase::home && moves_.empty())) {
            phase_ = Phase::ended;
            result_->ended_steps = state_->steps;
            return DoneStep{};
        }
        return nextMove();
    }
    if (const auto* taken = std::get_if<FrameTaken>(&event.what)) {
        frame_ = taken->frame;
        ++exposures_;
        const FocusLook look = lookForFocus(*frame_);
        if (look.stars == 0 && empty_ < mostEmpty)
            return noStars();
        return seen(look);
    }
    return FocuserStep{setup_.camera, std::nullopt};
}

Step FocusRun::noStars() {
    ++empty_;
    if (exposure_s_ * 2.0 <= longestRun_s) {
        exposure_s_ *= 2.0;
        return expose();
    }
    if (empty_ < mostEmpty)
        return expose();
    return seen({});
}

Step FocusRun::seen(const FocusLook& look) {
    if (look.stars == 0) {
        // Gone too far: the discs are too faint to be seen. Nearer they may be.
        if (phase_ == Phase::below && downs_ < 4) {
            empty_ = 0;
            down_ *= 0.5;
            ++downs_;
            return goTo(state_->steps + down_);
        }
        const bool bright = frame_ && look.background_adu > 0.6 * frame_->info.saturation_adu;
        return fail(
            Text::say("No star in %1 of up to %2 s at %3.")
                .arg(Text::say("%n frame|%n frames", "", empty_))
                .arg(formatNumber(exposure_s_, 0))
                .arg(place(state_->steps)),
            bright
                ? Text::say("The sky is too bright or a lamp is on: shield the telescope or expose shorter.")
                : Text::say("A cover, a cloud, or far out of focus: look at single frames and bring the "
                            "stars to discs by hand first."));
    }
    empty_ = 0;
    switch (phase_) {
    case Phase::first:
        return fromFirst(look);
    case Phase::below:
        return fromBelow(look);
    case Phase::through:
        points_.push_back({state_->steps, look.hfd_px, look.stars, ""});
        return through();
    case Phase::backlash:
        inward_.push_back({turned_, state_->steps, look.hfd_px});
        return playOn();
    default:
        return finish(look);
    }
}

Step FocusRun::fromFirst(const FocusLook& look) {
    firstHfd_ = look.hfd_px.value;
    // Where the backlash stands is not known yet: the first place is on no curve.
    points_.push_back(
        {state_->steps, look.hfd_px, look.stars, Text::say("before the backlash was taken up")});
    sharp_px_ = std::min(sharp_px_, firstHfd_);
    phase_ = Phase::below;
    if (slope_px_ > 0.0) {
        const double knee = sharp_px_ / slope_px_;
        const double away = distance(firstHfd_);
        asking_ = away > farOutside * knee;
        down_ = asking_ ? 0.35 * away : 1.12 * away + 2.3 * knee;
    } else {
        down_ = std::max(20.0, 0.004 * (state_->highest - state_->lowest));
    }
    return goTo(state_->steps - down_);
}

Step FocusRun::fromBelow(const FocusLook& look) {
    const double h = look.hfd_px.value;
    points_.push_back({state_->steps, look.hfd_px, look.stars, ""});
    sharp_px_ = std::min(sharp_px_, h);
    if (asking_) {
        asking_ = false;
        if (h < 1.1 * firstHfd_) {
            // Outwards of the focus, or a little within it by the backlash that was taken up.
            points_.pop_back();
            down_ = 1.12 * distance(h) + 2.3 * sharp_px_ / slope_px_;
            return goTo(state_->steps - down_);
        }
    }
    if (!slopeKnown_) {
        // How much a step does is found by going on until the stars change.
        const double change = std::abs(h - firstHfd_);
        const double noise = 4.0 * std::hypot(look.hfd_px.sigma, points_.front().hfd_px.sigma);
        const bool limit = state_->steps <= state_->lowest + 1.0;
        if (change < std::max(0.35 * std::min(h, firstHfd_), noise) && downs_ < 7 && !limit) {
            ++downs_;
            down_ *= 2.2;
            points_.pop_back();
            return goTo(state_->steps - down_);
        }
        if (change < noise)
            return standsStill(began_, state_->steps);
        // Both on one wing, or on both: the first may lie off by the backlash, so this is rough.
        const double far = disc_px(h);
        const double near = disc_px(firstHfd_);
        slope_px_ = std::max(std::abs(far - near), 0.2 * far) / std::abs(state_->steps - began_);
        if (h < firstHfd_ && h > 1.6 * sharp_px_ && !limit && downs_ < 7) {
            ++downs_;
            down_ = 1.12 * distance(h) + 2.3 * sharp_px_ / slope_px_;
            return goTo(state_->steps - down_);
        }
    }
    phase_ = Phase::through;
    return through();
}

std::optional<FocusCurve> FocusRun::trustedFit(std::vector<CurvePoint>& points) const {
    const auto fit = fitFocusCurve(points);
    if (!fit || fit->residual > 30.0)
        return std::nullopt;
    if (slopeKnown_ && (fit->slope_px.value < 0.4 * slope_px_ || fit->slope_px.value > 2.2 * slope_px_))
        return std::nullopt;
    // A lowest place outside of all that was tried is a guess.
    const PointSpan tried = spanOf(points);
    if (fit->best_steps.value < tried.low_steps || fit->best_steps.value > tried.high_steps)
        return std::nullopt;
    return *fit;
}

FocusRun::Guess FocusRun::guess() const {
    const double knee = slope_px_ > 0.0 ? sharp_px_ / slope_px_ : 1.0;
    if (curve_)
        return {curve_->best_steps.value, curve_->hfd_px.value / curve_->slope_px.value};
    std::vector<const CurvePoint*> on;
    for (const CurvePoint& p : points_)
        if (p.leftOut.empty())
            on.push_back(&p);
    std::sort(on.begin(), on.end(),
              [](const CurvePoint* a, const CurvePoint* b) { return a->steps < b->steps; });
    const CurvePoint& last = *on.back();
    if (on.size() == 1)
        return {last.steps + distance(last.hfd_px.value), knee};
    const CurvePoint& before = *on[on.size() - 2];
    if (last.hfd_px.value < before.hfd_px.value) {
        // The two tell the slope where both are well out of focus.
        const double here = disc_px(last.hfd_px.value);
        const double there = disc_px(before.hfd_px.value);
        const double slope = (there - here) / (last.steps - before.steps);
        const bool believable =
            slope > 0.0 && (!slopeKnown_ || (slope > 0.6 * slope_px_ && slope < 1.7 * slope_px_));
        const double used = believable ? slope : slope_px_;
        return {last.steps + here / used, sharp_px_ / used};
    }
    const CurvePoint& first = *on.front();
    if (first.hfd_px.value <= last.hfd_px.value)
        return {first.steps - distance(first.hfd_px.value), knee};
    return {before.steps, knee};
}

std::optional<double> FocusRun::openSlot(const Guess& g) const {
    std::optional<double> lower;
    for (const double slot : slots) {
        const double x = g.centre + slot * g.knee;
        if (x < state_->lowest || x > state_->highest)
            continue;
        const bool covered = std::any_of(points_.begin(), points_.end(), [&](const CurvePoint& p) {
            return p.leftOut.empty() && std::abs(p.steps - x) < nearSlot * g.knee;
        });
        if (covered)
            continue;
        if (x > state_->steps) // on the way
            return x;
        if (!lower)
            lower = x;
    }
    return lower;
}

std::optional<Step> FocusRun::beyondTravel(double centre, double knee) const {
    const bool inner = centre < state_->lowest + 0.2 * knee;
    if (!inner && centre < state_->highest - 0.2 * knee)
        return std::nullopt;
    const double by = inner ? state_->lowest - centre : centre - state_->highest;
    const double um = by * setup_.focuser().step_um;
    return fail(
        (inner ? Text::say("Best focus lies beyond the focuser's inner end, about %1 past %2.")
               : Text::say("Best focus lies beyond the focuser's outer end, about %1 past %2."))
            .arg((um > 0.0 ? Text::say("%1 steps (%2 mm)") : Text::say("%1 steps"))
                     .arg(place(std::max(by, 0.0)))
                     .arg(formatNumber(um / 1000.0, 1)))
            .arg(place(inner ? state_->lowest : state_->highest)),
        inner ? Text::say("Shorten the way to the camera (a shorter adapter), or push the camera in by hand.")
              : Text::say("Lengthen the way to the camera (an extension), or pull the camera out by hand."));
}

Step FocusRun::through() {
    for (const CurvePoint& p : points_)
        sharp_px_ = std::min(sharp_px_, p.hfd_px.value);
    std::vector<CurvePoint> points = points_; // gets the marks of those that do not belong
    curve_ = trustedFit(points);
    const Guess g = guess();
    const PointSpan tried = spanOf(points_);
    const double away = g.centre - state_->steps;
    const bool alike = tried.most_px < 1.25 * tried.least_px;
    if (slopeKnown_ && !curve_ && tried.count > 1 &&
        tried.high_steps - tried.low_steps > 3.0 * tried.least_px / slope_px_ && alike)
        return standsStill(tried.low_steps, tried.high_steps);
    if (!curve_ && tried.count > 1) {
        const bool atEnd = state_->steps >= state_->highest - 1.0 || state_->steps <= state_->lowest + 1.0;
        if (atEnd || g.centre < state_->lowest - 0.5 * g.knee)
            if (auto end = beyondTravel(g.centre, g.knee))
                return *end;
    }
    // Far away the guess is rough: stop well before it and look again.
    if (!curve_ && away > 7.0 * g.knee)
        return goTo(g.centre - std::max(2.1 * g.knee, 0.13 * away));
    const auto slot = openSlot(g);
    if (slot && (tried.count < 9 || !curve_))
        return goTo(*slot);
    if (!curve_) { // nor a place that was not tried
        if (alike)
            return standsStill(tried.low_steps, tried.high_steps);
        return fail(Text::say("The sizes of the stars between %1 and %2 do not make a curve.")
                        .arg(place(tried.low_steps))
                        .arg(place(tried.high_steps)),
                    Text::say("Wait for better seeing or a clearer sky; lengthen the exposure."));
    }
    if (auto end = beyondTravel(g.centre, 0.0))
        return *end;
    int inside = 0;
    int outside = 0;
    for (const CurvePoint& p : points)
        if (p.leftOut.empty()) {
            inside += p.steps < g.centre - 0.5 * g.knee;
            outside += p.steps > g.centre + 0.5 * g.knee;
        }
    // A frame that was spoilt is taken again.
    const auto spoilt = std::find_if(points.begin(), points.end(), [&](const CurvePoint& p) {
        return !p.leftOut.empty() && p.steps != points.front().steps;
    });
    const bool again =
        spoilt != points.end() && (inside < 2 || outside < 2) && exposures_ < mostExposures - 6;
    const double there = again ? spoilt->steps : 0.0;
    points_ = std::move(points);
    return again ? goTo(there) : beginBacklash();
}

Step FocusRun::standsStill(double from, double to) const {
    return fail(
        Text::say("The stars do not change while the focuser moves from %1 to %2.")
            .arg(place(from))
            .arg(place(to)),
        Text::say("Its coupling slips, or it moves another camera: watch the drawtube while it moves."));
}

Step FocusRun::beginBacklash() {
    const double knee = curve_->hfd_px.value / curve_->slope_px.value;
    const bool known = setup_.focuser().backlash_steps >= 0.0;
    if (known && !setup_.measureBacklash)
        return toBest();
    phase_ = Phase::backlash;
    turned_ = state_->steps;
    const double to = std::max(std::min(turned_ - takeUp_steps({}), curve_->best_steps.value - 2.5 * knee),
                               turned_ - 13.0 * knee);
    return goInwards(to);
}

Step FocusRun::playOn() {
    const double knee = curve_->hfd_px.value / curve_->slope_px.value;
    const double centre = curve_->best_steps.value;
    const PointSpan measured = spanOf(points_);
    const double low = std::max(measured.low_steps, centre - 3.0 * knee);
    const double high = std::min(measured.high_steps, centre + 3.0 * knee);
    backlash_ = estimateFocuserBacklash(*curve_, low, high, inward_);
    const double B = backlash_->steps.value;
    const double last = inward_.back().steps;
    const double camera = std::min(turned_, last + B);
    const bool fine =
        backlash_->certain && inward_.size() > 1 && camera > low && camera < centre - 0.6 * knee;
    constexpr size_t mostInward = 7;
    if (fine || inward_.size() >= mostInward || last <= state_->lowest + 1.0)
        return toBest();
    double next = last - 12.0 * knee;
    if (!backlash_->unmoved) {
        // To where the curve is steep and was measured; at least a little farther in.
        next = std::min(centre - 1.5 * knee - B, last - 0.7 * knee);
        if (camera < low) { // beyond: come back from outside, the backlash taken up inwards again
            turned_ = std::round(std::min(centre + 1.8 * knee, state_->highest));
            moves_ = {turned_ - takeUp(), turned_, centre - 1.5 * knee - B};
            return nextMove();
        }
    }
    return goInwards(next);
}

Step FocusRun::toBest() {
    phase_ = Phase::back;
    outwards_ = outwards_ && !again_;
    return goTo(curve_->best_steps.value);
}

Step FocusRun::finish(const FocusLook& look) {
    const double promised = curve_->at(state_->steps);
    const double sigma = std::hypot(look.hfd_px.sigma, curve_->sigmaAt(state_->steps),
                                    std::max(0.05, curve_->shake) * promised);
    const bool doubtful = look.hfd_px.value - promised > 3.0 * sigma;
    if (doubtful && !looked_) {
        looked_ = true; // one gust is no reason
        return expose();
    }
    looked_ = false;
    if (doubtful && backlash_ && !again_) {
        // The backlash just measured may be wrong: once more, with as much taken up as any focuser has.
        again_ = true;
        backlashDoubted_ = backlash_;
        firstEnd_ = look.hfd_px;
        backlash_.reset();
        return toBest();
    }
    // It was not the backlash: that was right.
    if (again_ && firstEnd_.value - look.hfd_px.value <
                      3.0 * std::hypot(firstEnd_.sigma, look.hfd_px.sigma, curve_->shake * promised))
        backlash_ = backlashDoubted_;
    FocusResult r;
    r.points = points_;
    r.inward = inward_;
    r.curve = *curve_;
    if (backlash_ && backlash_->certain)
        r.backlash_steps = backlash_->steps;
    r.zone_um = criticalZone_um(setup_.optics().focalRatio());
    if (setup_.focuser().step_um > 0.0)
        r.zone_steps = r.zone_um / setup_.focuser().step_um;
    r.temperature_c = state_->temperature_c;
    r.began_steps = began_;
    r.ended_steps = state_->steps;
    r.hfd_px = look.hfd_px;
    r.exposures = exposures_;
    if (doubtful)
        r.doubt = Text::say("The last frame is not as sharp as the curve predicted: %1 instead of %2.")
                      .arg(formatMeasured(look.hfd_px, " px", 2))
                      .arg(formatMeasured({promised, curve_->sigmaAt(state_->steps)}, " px", 2));
    result_ = r;
    if (setup_.endAtBest) {
        phase_ = Phase::ended;
        return DoneStep{};
    }
    phase_ = Phase::home;
    return goTo(began_);
}

Progress FocusRun::progress() const {
    const Text names[] = {Text::say("where it stands"), Text::say("inwards of the focus"),
                          Text::say("through the focus"), Text::say("backlash"), Text::say("to best focus")};
    Progress p;
    int now = 0;
    switch (phase_) {
    case Phase::asking:
    case Phase::first:
        now = 0;
        break;
    case Phase::below:
        now = 1;
        break;
    case Phase::through:
        now = 2;
        break;
    case Phase::backlash:
        now = 3;
        break;
    case Phase::back:
    case Phase::home:
        now = 4;
        break;
    case Phase::ended:
        now = 5;
        break;
    }
    const bool backlash = setup_.measureBacklash || setup_.focuser().backlash_steps < 0.0;
    for (int i = 0; i < 5; ++i)
        if (i != 3 || backlash)
            p.steps.push_back({names[i], i < now    ? ProgressStep::State::done
                                         : i == now ? ProgressStep::State::running
                                                    : ProgressStep::State::ahead});
    constexpr double usual = 11.0;
    p.fraction = phase_ == Phase::ended ? 1.0 : std::min(0.95, exposures_ / usual);
    p.timeLeft_s = std::max(1.0, usual - exposures_) * (exposure_s_ + 3.0);
    const Text frame = Text::say("frame %1, %2 s").arg(exposures_ + 1).arg(formatNumber(exposure_s_, 1));
    p.waitingFor =
        state_ ? Text::say("%1, at %2").arg(frame).arg(place(asked_.value_or(state_->steps))) : frame;
    return p;
}

} // namespace nordstjerna
