#include "core/procedure/series.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/format.h"
#include "core/procedure/slew.h"
#include "core/rig/scales.h"
#include "core/series/filter_turns.h"

namespace nordstjerna {

namespace {
constexpr double heedWishes_s = 2.0; // wishes of the person are looked at that often while it waits
constexpr double minute_s = 60.0;
constexpr int longestPause_min = 5;
constexpr double cloudPatience_s = 5400.0;
constexpr double awayPatience_s = 1800.0; // with a device that says nothing: somebody may come to its cable
} // namespace

CentringSetup centringOf(const SeriesSetup& series, Instant now) {
    CentringSetup c;
    c.rig = series.rig;
    c.target = targetAt(series, now);
    c.targetName = series.targetName;
    c.tolerance_arcsec = series.tolerance_arcsec;
    return c;
}

Series::Series(SeriesSetup setup) : setup_(std::move(setup)) {
    story_.grown = setup_.refocus.grown;
    allDithers_ = setup_.earlier.dithers;
    offsets_ = filterOffsets(setup_.filters.runs, setup_.rig.imagingFocuser);
}

DitherSpot Series::spot(int n) const {
    const DitherWish& d = setup_.dither;
    return ditherSpot(d.kind, d.size_px, d.raOnly, setup_.seed, n);
}

std::optional<SeriesPlan> Series::plan(Instant now) const {
    if (!rules_ || phase_ == Phase::ended)
        return std::nullopt;
    return planSeries(setup_, *rules_, now, side_ == "west", counted(), guided_);
}

void Series::goOn() {
    if (flip_)
        flip_->goOn();
    if (changing_)
        changing_->goOn();
}

Expected<void> Series::endAt(Instant t, Instant now) {
    SeriesSetup other = setup_;
    other.start = {};
    other.ends.at = t;
    auto rules = SeriesRules::from(other, now);
    if (!rules)
        return tl::unexpected(rules.error());
    setup_.ends.at = t;
    if (rules_ && now >= rules_->begins())
        rules_ = *rules;
    else if (auto waiting = SeriesRules::from(setup_, now))
        rules_ = *waiting;
    return {};
}

void Series::setSettling(double within_px, double for_s) {
    SeriesSetup other = setup_;
    other.dither.within_px = within_px;
    other.dither.for_s = for_s;
    if (validateSeries(other))
        setup_ = other;
}

void Series::followFlexure(bool on) {
    setup_.aim.followFlexure = on;
    flexure_.look(frames_, on);
    story_.followed = flexure_.told();
}

void Series::saved(int number, const std::string& file) {
    const int index = number - setup_.earlier.number - 1;
    if (index >= 0 && index < static_cast<int>(frames_.size()))
        frames_[static_cast<size_t>(index)].file = file;
    unsaved_.reset();
}

void Series::notSaved(const Problem& problem) {
    unsaved_ = problem;
}

Step Series::wait(Phase phase, double seconds, const Text& why) {
    phase_ = phase;
    why_ = why;
    return WaitStep{std::clamp(seconds, 0.1, heedWishes_s), why};
}

Step Series::over(const Text& mount) {
    phase_ = Phase::ended;
    mountAfterwards_ = mount;
    return failure_ ? Step(FailStep{*failure_}) : Step(DoneStep{});
}

Step Series::close(const Text& why, bool stopGuiding, const Event& event) {
    ending_ = why;
    why_ = {};
    if (!stopGuiding && (guideBegun_ || setup_.guiding)) // whoever stopped it may go on with the same star
        return over(Text::say("Guiding goes on."));
    if (!guideBegun_)
        return rest(event);
    phase_ = Phase::closing;
    guided_ = guideBegun_ = false;
    return GuideStep{GuideStep::Act::stop, {}, {}};
}

// For good: nobody may be there to look after the mount.
Step Series::fail(const Problem& problem, const Text& why, const Event& event) {
    failure_ = problem;
    guided_ = false;
    if (!problem.userRequested)
        return close(why, true, event);
    ending_ = why;
    return over({});
}

Step Series::rest(const Event& event) {
    const bool more = setup_.followed && !failure_ && !stoppedByHand_;
    if (setup_.cooler.warmAfterwards && !warmed_ && !more) {
        // It is led there without this series; whether it answers does not matter to the mount.
        warmed_ = true;
        phase_ = Phase::closing;
        return CoolerStep{CoolerStep::Act::warm, 0.0};
    }
    if (more)
        return over(Text::say("The mount goes on to the next target."));
    if (setup_.afterwards == MountAfter::keepTracking)
        return over(event.mount.tracking ? Text::say("The mount goes on tracking, as planned.") : "");
    if (setup_.afterwards != MountAfter::park)
        return stopTracking(event);
    if (event.mount.told && event.mount.parked)
        return over(Text::say("The mount is parked."));
    if (!event.mount.parks) {
        notParked_ = Text::say("It has no command for it.");
        return stopTracking(event);
    }
    phase_ = Phase::parking;
    why_ = Text::say("the mount to park");
    return ParkStep{};
}

// Only what the mount confirms counts; one that does not park must not be left tracking.
Step Series::parked(const Event& event) {
    constexpr int mostChecks = 30;
    const auto* broken = std::get_if<StepFailed>(&event.what);
    if (broken && broken->problem.userRequested) {
        if (!failure_)
            failure_ = broken->problem;
        return over({});
    }
    if (!broken && event.mount.told && event.mount.parked)
        return over(Text::say("The mount is parked."));
    if (!broken && ++restChecks_ < mostChecks)
        return WaitStep{1.0, why_};
    notParked_ = broken ? broken->problem.briefly() : Text::say("It does not say that it is parked.");
    restChecks_ = 0;
    return stopTracking(event);
}

Step Series::stopTracking(const Event& event) {
    if (event.mount.told && !event.mount.tracking)
        return stopped();
    phase_ = Phase::resting;
    why_ = Text::say("the mount to stop tracking");
    return TrackingStep{false};
}

Step Series::stopped() {
    if (notParked_.empty())
        return over(Text::say("The mount has stopped tracking."));
    Problem p{Text::say("The mount was not parked."), notParked_,
              Text::say("It has stopped tracking where it stood; park it by hand.")};
    if (failure_)
        p.what = failure_->what.then(p.what);
    failure_ = p;
    return over(Text::say("The mount has stopped tracking, but is not parked."));
}

// Only what the mount confirms counts.
Step Series::rested(const Event& event) {
    constexpr int mostChecks = 10;
    const auto* broken = std::get_if<StepFailed>(&event.what);
    if (broken && broken->problem.userRequested) {
        if (!failure_)
            failure_ = broken->problem;
        return over({});
    }
    if (!broken && event.mount.told && !event.mount.tracking)
        return stopped();
    if (!broken && ++restChecks_ < mostChecks)
        return WaitStep{1.0, why_};
    Problem p{Text::say("The mount has not confirmed that it stopped tracking."),
              broken ? broken->problem.what : Text::say("It says that it still tracks."),
              Text::say("Stop it at its hand control, or cut its power: it may run into its pier.")};
    if (failure_)
        p.what = failure_->what.then(p.what);
    failure_ = p;
    return over(Text::say("The mount has NOT confirmed that it stopped tracking."));
}

// What can be waited for: a cloud before a solve or a guide star, and a device that does not answer. All else
// ends the series in good order.
Step Series::failed(const Event& event, const Problem& problem) {
    const bool cloud = phase_ == Phase::looking || phase_ == Phase::centring || phase_ == Phase::guiding ||
                       phase_ == Phase::dithering || phase_ == Phase::following ||
                       (phase_ == Phase::flipping && flip_->mayPass());
    if (phase_ == Phase::start)
        unparked_ = false;
    starLost_ = starLost_ || phase_ == Phase::guiding;
    if ((cloud || problem.away) && !problem.userRequested && !problem.lasting) {
        if (++clouds_ == 1)
            cloudBegan_ = event.now;
        if (!cloud && !awaySince_)
            awaySince_ = event.now;
        // A field that cannot be solved costs the machine some work each time: ever more seldom.
        const int pause_min = std::min(clouds_, longestPause_min);
        const double waited_s = event.now - (cloud ? cloudBegan_ : *awaySince_);
        if (waited_s < (cloud ? cloudPatience_s : awayPatience_s)) {
            guided_ = false;
            againAt_ = event.now + minute_s * pause_min;
            trouble_ = problem;
            return wait(Phase::tryingAgain, minute_s,
                        Text::say("trying again in %n minute|trying again in %n minutes", "", pause_min));
        }
    }
    return fail(problem, problem.what.asClause(), event);
}

Step Series::begin(const Event& event) {
    if (!event.mount.told) {
        Problem silent{Text::say("The mount does not answer."),
                       Text::say("It has not answered since the start."),
                       Text::say("Check its cable and its power.")};
        silent.away = true;
        return failed(event, silent);
    }
    if (event.mount.parked && !std::exchange(unparked_, true)) {
        why_ = Text::say("the mount to be unparked");
        return ParkStep{false};
    }
    auto rules = SeriesRules::from(setup_, event.now);
    if (!rules && awaySince_) // the time is over that it was to have; the mount may be tracking
        return fail(rules.error(), rules.error().what.asClause(), event);
    if (!rules) {
        phase_ = Phase::ended;
        ending_ = rules.error().what.asClause();
        return FailStep{rules.error()};
    }
    rules_ = *rules;
    awaySince_.reset();
    clouds_ = 0;
    return move(event);
}

// Asks the rules what comes next, the mount being at the target or not.
Step Series::move(const Event& event) {
    if (unsaved_)
        return wait(Phase::saving, heedWishes_s,
                    Text::say("the last frame to be saved: %1").arg(unsaved_->what.asClause()));
    if (pauseWanted_)
        return wait(Phase::paused, heedWishes_s, Text::say("you to check the cables, then press Go on"));
    const SeriesMove next = rules_->next(event.now, across(event), counted());
    if (next.kind == SeriesMove::Kind::end)
        return close(next.why, true, event);
    if (next.kind == SeriesMove::Kind::wait) {
        awaySince_.reset();
        return wait(Phase::waiting, next.seconds, next.why);
    }
    if (next.kind == SeriesMove::Kind::flip || flipWanted_) {
        // A telescope that was never on the target goes there anyway, and hangs on the right side then.
        if (centred_ || flipWanted_)
            return flipOver(event);
    }
    if (setup_.cooler.to_c && !coolerAsked_)
        return awaitCooler(event); // it cools while the rest is done
    if (starLost_)
        return letGo();
    if (setup_.centre && !centred_)
        return centre(event);
    centred_ = true;
    if (setup_.guided && !guided_)
        return guide();
    if (setup_.cooler.to_c && !cooled_)
        return awaitCooler(event);
    if (const auto step = setFilter(event))
        return *step;
    if (focusDue_ || wantsFocus(event))
        return refocus(event);
    if (setup_.dither.every > 0 && sinceDither_ >= setup_.dither.every) {
        if (setup_.guided || !slewWouldFlip(event))
            return dither(event);
        // The mount comes over as it should, or the frames go on where they are.
        const double past_min = 60.0 * hourAngleOf(event).hours();
        if (setup_.flip.allowed && past_min > setup_.flip.past_min)
            return flipOver(event);
    }
    if (const auto step = setAim())
        return *step;
    return expose(next.seconds, event);
}

// As the target moves, and against what was found of the flexure; ″ a minute.
SkyError Series::aimRate() const {
    constexpr double minutes = 60.0; // of an hour
    const SkyError target{setup_.aim.target.east_arcsec_h / minutes,
                          setup_.aim.target.north_arcsec_h / minutes};
    // For the target to stay where it is on the sensor, the stars must go the other way.
    return flexure_.rate_arcsec_min() - target;
}

// Where the loop does not know yet.
std::optional<Step> Series::setAim() {
    constexpr double same_arcsec_min = 0.002;
    const SkyError wanted = aimRate();
    const SkyError other = wanted - aimTold_;
    if (!setup_.guided || std::hypot(other.dra_arcsec, other.ddec_arcsec) < same_arcsec_min)
        return std::nullopt;
    aimTold_ = wanted;
    bendTold_ = flexure_.rate_arcsec_min();
    phase_ = Phase::following;
    return GuideStep{GuideStep::Act::follow, wanted, {}};
}

// The aim is where the stars stand: no dither, no rate.
void Series::chosenAnew() {
    spot_ = {};
    aim_ = bent_ = {};
    aimTold_ = bendTold_ = {};
    anew_ = true;
}

Step Series::centre(const Event& event) {
    if (setup_.guiding) {
        look_ = FieldLook(setup_.rig, CameraRole::imaging, centringOf(setup_, event.now).exposure_s);
        phase_ = Phase::looking;
        return lookStep(event);
    }
    centring_.emplace(centringOf(setup_, event.now));
    phase_ = Phase::centring;
    return centring_->begin(event);
}

// Where the loop holds it already. Nothing moves the telescope under a loop that would run after it.
Step Series::lookStep(const Event& event) {
    if (std::holds_alternative<GuideAnswered>(event.what))
        return move(event);
    if (const auto step = look_.next(event)) {
        if (const auto* fail = std::get_if<FailStep>(&*step))
            return failed(event, fail->problem);
        why_ = look_.waitingFor();
        return *step;
    }
    if (separation(targetAt(setup_, event.now), look_.solved()->plane.centre).arcsec() <=
        setup_.tolerance_arcsec)
        return centredBy(look_.solved(), event);
    setup_.guiding = false;
    why_ = Text::say("the loop to end before the telescope moves");
    return GuideStep{GuideStep::Act::stop, {}, {}};
}

// A loop that has not found its star for minutes may never find it: its field may have left the frame, for
// nothing held the telescope meanwhile.
Step Series::letGo() {
    starLost_ = centred_ = setup_.guiding = false;
    phase_ = Phase::looking;
    why_ = Text::say("the loop to end, before the target is centred again");
    return GuideStep{GuideStep::Act::stop, {}, {}};
}

Step Series::centredBy(const std::optional<SolvedFrame>& solved, const Event& event) {
    solved_ = solved;
    solvedSide_ = event.mount.side;
    centred_ = true;
    return move(event);
}

Step Series::guide() {
    phase_ = Phase::guiding;
    guideBegun_ = true;
    why_ = Text::say("guide stars and the loop");
    return GuideStep{GuideStep::Act::start, {}, {}};
}

Step Series::expose(double shorter_s, const Event& event) {
    phase_ = Phase::exposing;
    why_ = {};
    exposedSince_ = event.now;
    filling_ = shorter_s > 0.0;
    exposure_s_ = filling_ ? shorter_s : exposureAt(setup_, counted());
    return ImageStep{exposure_s_};
}

Step Series::dither(const Event& event) {
    const DitherSpot next = spot(++allDithers_);
    const double scale = scalesOf(setup_.rig).image_arcsec_px;
    const SkyError by{scale * (next.x_px - spot_.x_px), scale * (next.y_px - spot_.y_px)};
    spot_ = next;
    sinceDither_ = 0;
    phase_ = Phase::dithering;
    if (!setup_.guided)
        return ditherBySlew(event);
    why_ = Text::say("the star to settle after the dither");
    return GuideStep{GuideStep::Act::dither, by, settleRule(setup_)};
}

Angle Series::hourAngleOf(const Event& event) const {
    return ObservedFrame(setup_.rig.site, event.now)
        .hourAngleDec(targetAt(setup_, event.now))
        .hourAngle.wrappedSigned();
}

// Past the meridian a mount that chooses its side itself takes any slew for the word to come over.
bool Series::slewWouldFlip(const Event& event) const {
    return !event.mount.choosesSide && event.mount.side == "east" && hourAngleOf(event).rad() > 0.0;
}

// The pattern on the sky, from the target itself: errors of single slews do not add up. The stars go where
// the pattern says, so the telescope goes the other way.
Step Series::ditherBySlew(const Event& event) {
    const double scale = scalesOf(setup_.rig).image_arcsec_px;
    const double east = scale * spot_.x_px, north = scale * spot_.y_px;
    const Vec3 place = offsetPlace(setup_.target, Angle::fromRad(std::atan2(-east, -north)),
                                   Angle::fromArcsec(std::hypot(east, north)));
    why_ = Text::say("the mount to settle after the dither");
    return announcedSlew(
        setup_.rig, event, ObservedFrame(setup_.rig.site, event.now).hourAngleDec(place),
        Text::say("Dither by %1 imaging px").arg(formatNumber(std::hypot(spot_.x_px, spot_.y_px), 0)),
        sideKept(event.mount));
}

Step Series::flipOver(const Event& event) {
    FlipSetup f;
    f.pauseBefore = setup_.flip.pauseBefore;
    f.pauseAfter = setup_.flip.pauseAfter;
    f.guide = setup_.guided;
    f.waits = false;
    if (solved_)
        f.rollBefore_deg = solved_->plane.roll().deg();
    if (flip_ && flip_->mayPass())
        f = flip_->again();
    f.centring = centringOf(setup_, event.now);
    flip_.emplace(f);
    flipWanted_ = false;
    phase_ = Phase::flipping;
    return flipStep(event);
}

Step Series::flipStep(const Event& event) {
    if (const auto step = flip_->step(event)) {
        why_ = flip_->progress().waitingFor;
        return *step;
    }
    if (flip_->failure()) {
        const Problem& why = *flip_->failure();
        flipWanted_ = flip_->mayPass();
        if (flipWanted_)
            return failed(event, why);
        return fail(why, why.userRequested ? why.what.asClause() : Text::say("the flip failed"), event);
    }
    flipped_ = flip_->record();
    guided_ = setup_.guided;
    settled_ = !setup_.guided || flip_->record().settled;
    chosenAnew();
    flexure_.forget(frames_.size());
    sinceDither_ = 0;
    return move(event);
}

// Not shortly before the end or the flip: what is left would not pay for it.
bool Series::wantsFocus(const Event& event) const {
    if (!setup_.refocus.byItself || focusLoss(story_.sinceFocused(frames_)) <= setup_.refocus.grown)
        return false;
    const SeriesMove then = rules_->next(event.now + 2.0 * setup_.focusing_s, across(event), counted());
    return then.kind != SeriesMove::Kind::end && then.kind != SeriesMove::Kind::flip;
}

// The filter that the next frame is taken through, where it is not there yet.
std::optional<Step> Series::setFilter(const Event& event) {
    const FilterWish& wish = setup_.filters;
    if (wish.wheel && !setup_.rig.filters.empty() && !wheelAsked_) {
        wheelAsked_ = true;
        phase_ = Phase::changing;
        return FilterStep{};
    }
    const std::string next = filterAt(setup_, counted());
    if (next.empty() || next == filter_)
        return std::nullopt;
    const auto offset = filter_.empty() ? std::nullopt : offsets_.between(filter_, next);
    const bool follows = setup_.motor && wish.focus == AtFilterChange::offset;
    // The first filter is taken to be the one that was focused.
    focusDue_ =
        setup_.motor && !filter_.empty() && (wish.focus == AtFilterChange::focusRun || (follows && !offset));
    const auto left = std::exchange(changeLeft_, std::nullopt);
    changing_.emplace(left && left->to == next
                          ? *left
                          : filterChange(setup_.rig, wish.wheel, next, follows ? offset : std::nullopt));
    phase_ = Phase::changing;
    Event begin = event;
    begin.what = Started{}; // whatever was before has nothing to do with it
    return changeStep(begin);
}

Step Series::changeStep(const Event& event) {
    if (!changing_) { // the wheel was only asked
        if (const auto* answer = std::get_if<FilterAnswered>(&event.what))
            filter_ = filterBefore(setup_.rig, answer->state);
        return move(event);
    }
    if (const auto step = changing_->step(event)) {
        why_ = changing_->progress().waitingFor;
        return *step;
    }
    const auto failure = changing_->failure();
    if (!failure)
        filter_ = changing_->to();
    if (failure && failure->away)
        changeLeft_ = changing_->again();
    changing_.reset();
    if (failure && failure->away)
        return failed(event, *failure);
    return failure ? fail(*failure, failure->what.asClause(), event) : move(event);
}

// A camera that does not get as cold as was wanted takes its frames all the same; that is said.
Step Series::awaitCooler(const Event& event) {
    constexpr double coolerPatience_s = 2400.0;
    const double to = *setup_.cooler.to_c;
    if (phase_ != Phase::cooling) {
        const bool first = !std::exchange(coolerAsked_, true);
        if (first)
            coolingSince_ = event.now;
        phase_ = Phase::cooling;
        why_ = Text::say("the camera's cooler");
        return CoolerStep{first ? CoolerStep::Act::cool : CoolerStep::Act::ask, to};
    }
    if (const auto* broken = std::get_if<StepFailed>(&event.what)) {
        cooled_ = true;
        notCold_ = broken->problem.briefly();
        return move(event);
    }
    const auto* answer = std::get_if<CoolerAnswered>(&event.what);
    if (!answer)
        return CoolerStep{};
    const std::string now = formatNumber(answer->state.sensor_c, 1);
    const bool late = event.now - coolingSince_ > coolerPatience_s;
    if (answer->phase == CoolerPhase::holding || answer->phase == CoolerPhase::exhausted || late) {
        cooled_ = true;
        if (answer->phase != CoolerPhase::holding)
            notCold_ =
                Text::say("The sensor is at %1 °C, %2 °C is wanted.").arg(now).arg(formatNumber(to, 0));
        return move(event);
    }
    // What else is to be done first is done meanwhile.
    if (!centred_ || (setup_.guided && !guided_))
        return move(event);
    return wait(Phase::cooling, heedWishes_s,
                Text::say("the camera to reach %1 °C: %2 °C now").arg(formatNumber(to, 0)).arg(now));
}

// What a focus run found tells by how much the filters differ from now on.
void Series::learnFocus(const FocusResult& result, Instant now) {
    setup_.filters.runs.push_back({now, result.curve.best_steps, result.temperature_c, filter_});
    offsets_ = filterOffsets(setup_.filters.runs, setup_.rig.imagingFocuser);
}

Step Series::refocus(const Event& event) {
    focusDue_ = false;
    FocusRunSetup f;
    f.rig = setup_.rig;
    f.camera = CameraRole::imaging;
    focusing_.emplace(f);
    phase_ = Phase::refocusing;
    why_ = Text::say("the focus run after frame %1").arg(nextNumber() - 1);
    // Behind the same focuser the guide star grows too.
    if (setup_.rig.offAxis && setup_.guided) {
        guided_ = guideBegun_ = false;
        return GuideStep{GuideStep::Act::stop, {}, {}};
    }
    Event begin = event;
    begin.what = Started{};
    return focusStep(begin);
}

Step Series::focusStep(const Event& event) {
    Event told = event;
    if (std::holds_alternative<GuideAnswered>(event.what))
        told.what = Started{};
    const Step next = focusing_->next(told);
    const auto* fail = std::get_if<FailStep>(&next);
    if (!fail && !std::holds_alternative<DoneStep>(next))
        return next;
    Refocus r;
    r.afterFrame = static_cast<int>(frames_.size());
    r.number = nextNumber() - 1;
    if (focusing_->result()) {
        focused_ = focusing_->result();
        r.found = true;
        r.word = Text::say("%1, from %2 to %3 steps, stars of %4.")
                     .arg(Text::say("%n exposure|%n exposures", "", focused_->exposures))
                     .arg(formatNumber(focused_->began_steps, 0))
                     .arg(formatNumber(focused_->ended_steps, 0))
                     .arg(formatMeasured(focused_->hfd_px, " px", 2));
        keepBacklash(*focused_, setup_.rig.imagingFocuser);
        learnFocus(*focused_, event.now);
    } else {
        r.word = fail ? fail->problem.briefly() : Text::say("It was stopped.");
    }
    story_.refocused.push_back(r);
    focusing_.reset();
    return move(event);
}

Step Series::taken(const ImageTaken& image, const Event& event) {
    SeriesFrame f;
    f.number = nextNumber();
    f.start = image.start;
    f.exposure_s = image.exposure_s;
    f.side = event.mount.side;
    f.filter = filter_;
    f.look = image.look;
    f.guide = image.guide;
    f.spot = spot_;
    f.settled = settled_;
    f.filler = filling_;
    const double middle_s = image.start.unix_s + 0.5 * image.exposure_s;
    f.aimed = aim_.at(middle_s);
    f.bent = bent_.at(middle_s);
    const double hours = image.exposure_s / 3600.0;
    f.streak = {hours * setup_.aim.target.east_arcsec_h, hours * setup_.aim.target.north_arcsec_h};
    f.remark = remarkOn(f, frames_);
    const double scale = scalesOf(setup_.rig).image_arcsec_px;
    const bool anew = std::exchange(anew_, false);
    if (solved_ && !frames_.empty() && !anew)
        f.moved = movedSince(frames_.back(), f, solved_->plane, solvedSide_, scale);
    frames_.push_back(std::move(f));
    if (solved_) {
        flexure_.look(frames_, setup_.aim.followFlexure);
        story_.followed = flexure_.told();
        // Once the aim follows it, what matters is what is left.
        const size_t from = story_.followed ? static_cast<size_t>(story_.followed->afterFrame) : 0;
        story_.creep = creepOf(std::span(frames_).subspan(std::min(from, frames_.size())));
        story_.oval = whyOval(frames_, solved_->plane, story_.creep, scale);
    }
    frame_ = image.frame;
    settled_ = true;
    ++sinceDither_;
    clouds_ = 0;
    awaySince_.reset();
    // A loop that has ended, or lost its star, is looked after before the next frame.
    if (!setup_.guided)
        return move(event);
    if (image.guide.looks == 0 || image.guide.lost > image.guide.looks)
        guided_ = false;
    return move(event);
}

Step Series::advance(const Event& event) {
    side_ = event.mount.side;
    if (std::holds_alternative<StopAsked>(event.what)) {
        // The focuser goes back to where it stood; once it is there, the word is not repeated.
        if (phase_ == Phase::refocusing && focusing_) {
            const Step back = focusing_->next(event);
            if (!std::holds_alternative<DoneStep>(back))
                return back;
        }
        if (phase_ == Phase::changing && changing_)
            if (const auto home = changing_->step(event))
                return *home;
        if (phase_ == Phase::closing)
            return rest(event);
        if (phase_ == Phase::parking)
            return parked(event);
        if (phase_ == Phase::resting)
            return rested(event);
        stoppedByHand_ = true;
        return close(Text::say("stopped by you"), false, event);
    }
    const auto* broken = std::get_if<StepFailed>(&event.what);
    if (broken && phase_ == Phase::closing && !broken->problem.userRequested)
        return rest(event); // the loop cannot be asked any more; the mount can
    if (broken && phase_ == Phase::closing)
        return fail(broken->problem, broken->problem.what.asClause(), event);
    if (phase_ == Phase::parking)
        return parked(event);
    if (phase_ == Phase::resting)
        return rested(event);
    const bool itself = phase_ == Phase::flipping || phase_ == Phase::centring ||
                        phase_ == Phase::refocusing || phase_ == Phase::changing;
    // A cooler that does not answer costs no night.
    if (broken && !itself && (phase_ != Phase::cooling || broken->problem.userRequested))
        return failed(event, broken->problem);
    switch (phase_) {
    case Phase::start:
        return begin(event);
    case Phase::waiting:
    case Phase::paused:
    case Phase::saving:
        return move(event);
    case Phase::tryingAgain:
        if (event.now < againAt_)
            return wait(Phase::tryingAgain, heedWishes_s, why_);
        return rules_ ? move(event) : begin(event);
    case Phase::looking:
        return lookStep(event);
    case Phase::centring: {
        const Step next = centring_->next(event);
        if (const auto* fail = std::get_if<FailStep>(&next))
            return failed(event, broken ? broken->problem : fail->problem);
        why_ = centring_->progress().waitingFor;
        if (!std::holds_alternative<DoneStep>(next))
            return next;
        return centredBy(centring_->solved(), event);
    }
    case Phase::guiding:
        guided_ = true;
        clouds_ = 0;
        settled_ = std::get<GuideAnswered>(event.what).settled;
        if (std::get<GuideAnswered>(event.what).fresh)
            chosenAnew();
        return move(event);
    case Phase::following:
        for (AimPath* path : {&aim_, &bent_})
            path->goTo(event.now.unix_s);
        aim_.setRate(1.0 / minute_s * aimTold_);
        bent_.setRate(1.0 / minute_s * bendTold_);
        return move(event);
    case Phase::dithering:
        if (!setup_.guided) {
            constexpr double settle_s = 4.0;
            if (std::holds_alternative<StepFinished>(event.what) && !slewSettled_) {
                slewSettled_ = true;
                return WaitStep{settle_s, why_};
            }
            slewSettled_ = false;
            return move(event);
        }
        settled_ = std::get<GuideAnswered>(event.what).settled;
        return move(event);
    case Phase::exposing:
        return taken(std::get<ImageTaken>(event.what), event);
    case Phase::flipping:
        return flipStep(event);
    case Phase::refocusing:
        return focusStep(event);
    case Phase::changing:
        if (broken && !changing_) { // nobody knows which filter is there
            wheelAsked_ = !broken->problem.away;
            if (broken->problem.away)
                return failed(event, broken->problem);
            if (broken->problem.userRequested || !setup_.turns.empty())
                return fail(broken->problem, broken->problem.what.asClause(), event);
            return move(event);
        }
        return changeStep(event);
    case Phase::cooling: // after a pause the end of the night may have come
        return std::holds_alternative<StepFinished>(event.what) ? move(event) : awaitCooler(event);
    case Phase::closing:
        return rest(event);
    case Phase::parking:
    case Phase::resting:
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

Progress Series::progress() const {
    using State = ProgressStep::State;
    if (phase_ == Phase::flipping && flip_)
        return flip_->progress();
    if (phase_ == Phase::refocusing && focusing_)
        return focusing_->progress();
    if (phase_ == Phase::changing && changing_)
        return changing_->progress();
    Progress p;
    const bool at = centred_ || !setup_.centre;
    p.steps = {
        {Text::say("Begin"), rules_ && (at || phase_ != Phase::waiting) ? State::done : State::running},
        {Text::say("Centre"), at                                                      ? State::done
                              : phase_ == Phase::looking || phase_ == Phase::centring ? State::running
                                                                                      : State::ahead},
        {Text::say("Guide"), guided_                    ? State::done
                             : phase_ == Phase::guiding ? State::running
                                                        : State::ahead},
        {Text::say("Expose"),
         (guided_ || (!setup_.guided && at)) && phase_ != Phase::ended ? State::running : State::ahead}};
    if (!setup_.guided)
        p.steps.erase(p.steps.begin() + 2);
    p.fraction = -1.0;
    const int wanted = setup_.ends.frames;
    if (wanted > 0)
        p.fraction = std::min(1.0, static_cast<double>(counted()) / wanted);
    p.waitingFor = why_;
    return p;
}

} // namespace nordstjerna
