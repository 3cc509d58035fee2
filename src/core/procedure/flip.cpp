#include "core/procedure/flip.h"

#include <cmath>

#include "core/base/format.h"
#include "core/procedure/slew.h"
#include "core/sky/sides.h"

namespace nordstjerna {

namespace {
constexpr int mostSlews = 5;
constexpr int mostSolves = 15;
constexpr int mostGuideTries = 5;
constexpr double retrySlew_s = 60.0; // a mount by whose clock the meridian is not passed yet
} // namespace

Flip::Flip(FlipSetup setup) : setup_(std::move(setup)) {}

Step Flip::advance(const Event& event) {
    if (auto next = step(event))
        return *next;
    return failure_ ? Step(FailStep{*failure_}) : Step(DoneStep{});
}

FlipSetup Flip::again() const {
    FlipSetup s = setup_;
    s.sideBefore = record_.sideBefore;
    s.pauseBefore = s.pauseBefore && record_.slews == 0;
    s.pauseAfter = s.pauseAfter && guideTries_ == 0;
    return s;
}

std::optional<Step> Flip::fail(const Problem& problem, bool mayPass) {
    failure_ = problem;
    mayPass_ = problem.away || (mayPass && !problem.lasting);
    phase_ = Phase::ended;
    return std::nullopt;
}

Step Flip::comeOver(const Event& event) {
    if (!setup_.pauseBefore)
        return slew(event);
    phase_ = Phase::pausingBefore;
    return lookAround();
}

Step Flip::lookAround() {
    constexpr double glance_s = 1.0;
    return WaitStep{glance_s, Text::say("you to check the cables, then press Go on")};
}

Step Flip::slew(const Event& event) {
    phase_ = Phase::slewing;
    ++record_.slews;
    return announcedSlew(
        setup_.centring.rig, event,
        ObservedFrame(setup_.centring.rig.site, event.now).hourAngleDec(setup_.centring.target),
        record_.slews == 1 ? Text::say("Flipping: the mount comes over to %1").arg(setup_.centring.targetName)
                           : Text::say("Flipping, slew %1 to %2")
                                 .arg(formatNumber(record_.slews, 0))
                                 .arg(setup_.centring.targetName),
        setup_.centring.side);
}

Step Flip::centre(const Event& event) {
    centring_.emplace(setup_.centring);
    phase_ = Phase::centring;
    return centring_->begin(event);
}

Step Flip::guideAgain() {
    phase_ = Phase::guiding;
    ++guideTries_;
    return GuideStep{GuideStep::Act::start, {}, {}};
}

Step Flip::afterCentring() {
    if (setup_.pauseAfter && !goOn_) {
        phase_ = Phase::pausingAfter;
        return lookAround();
    }
    return guideAgain();
}

std::optional<Step> Flip::step(const Event& event) {
    const auto* failed = std::get_if<StepFailed>(&event.what);
    if (std::holds_alternative<StopAsked>(event.what)) {
        phase_ = Phase::ended;
        return std::nullopt;
    }
    if (failed && (failed->problem.userRequested || (phase_ != Phase::centring && phase_ != Phase::guiding)))
        return fail(failed->problem);
    switch (phase_) {
    case Phase::start:
        record_.sideBefore = setup_.sideBefore.empty() ? event.mount.side : setup_.sideBefore;
        // Told so, it comes over before the meridian too, and no clock decides.
        if (event.mount.choosesSide)
            setup_.centring.side = "west";
        if (const auto obstacle = slewObstacle(
                setup_.centring.rig,
                ObservedFrame(setup_.centring.rig.site, event.now).hourAngleDec(setup_.centring.target)))
            return fail(*obstacle);
        if (!setup_.guide)
            return comeOver(event);
        phase_ = Phase::stopping;
        return GuideStep{GuideStep::Act::stop, {}, {}};
    case Phase::stopping:
        return comeOver(event);
    case Phase::pausingBefore:
        if (!goOn_)
            return lookAround();
        goOn_ = false;
        return slew(event);
    case Phase::slewing:
        record_.sideAfter = event.mount.side;
        if (!event.mount.side.empty() && event.mount.side == record_.sideBefore) {
            // Some mounts want to be told again, some go by a clock of their own.
            if (record_.slews < mostSlews) {
                phase_ = Phase::waiting;
                return WaitStep{
                    record_.slews == 1 ? 5.0 : retrySlew_s,
                    Text::say("the mount, which has not flipped yet; the command will be repeated")};
            }
            return fail({Text::say("The mount has not flipped."),
                         Text::say("It was sent to %1 %2 and is still %3.")
                             .arg(setup_.centring.targetName)
                             .arg(Text::say("%n time|%n times", "", record_.slews))
                             .arg(sideWords(event.mount.side)),
                         Text::say("Check its limits, its clock and its site, or flip it by hand; then start "
                                   "the series again.")});
        }
        return centre(event);
    case Phase::waiting:
        return slew(event);
    case Phase::centring: {
        const Step next = centring_->next(event);
        if (const auto* broken = std::get_if<FailStep>(&next)) {
            // A cloud may stand there; the mount tracks meanwhile.
            if (setup_.waits && ++clouds_ < mostSolves && !centring_->solved() && !broken->problem.lasting) {
                phase_ = Phase::cloudWait;
                return WaitStep{retrySlew_s, Text::say("a clear field: %1").arg(broken->problem.what)};
            }
            return fail(broken->problem, !centring_->solved());
        }
        if (!std::holds_alternative<DoneStep>(next))
            return next;
        record_.off_arcsec = centring_->passes().back().off_arcsec();
        if (setup_.rollBefore_deg) {
            const double turned =
                Angle::fromDeg(centring_->solved()->plane.roll().deg() - *setup_.rollBefore_deg)
                    .wrapped()
                    .deg();
            record_.turned_deg = turned;
            constexpr double loose_deg = 30.0;
            if (std::abs(turned - 180.0) > loose_deg)
                return fail({Text::say("The image did not rotate by 180°."),
                             Text::say("It turned by %1°, though the mount reports the other side.")
                                 .arg(formatNumber(turned, 0)),
                             Text::say("See which side of the pier the telescope is on before anything "
                                       "moves; then start the series again.")});
        }
        if (setup_.guide || setup_.pauseAfter)
            return afterCentring();
        phase_ = Phase::ended;
        return std::nullopt;
    }
    case Phase::cloudWait:
        return centre(event);
    case Phase::pausingAfter:
        if (goOn_ && !setup_.guide) {
            phase_ = Phase::ended;
            return std::nullopt;
        }
        return afterCentring();
    case Phase::guideWait:
        return guideAgain();
    case Phase::guiding:
        if (failed) {
            if (setup_.waits && guideTries_ < mostGuideTries) {
                phase_ = Phase::guideWait;
                return WaitStep{retrySlew_s, Text::say("guide stars: %1").arg(failed->problem.what)};
            }
            return fail(failed->problem, true);
        }
        if (const auto* answer = std::get_if<GuideAnswered>(&event.what)) {
            record_.decReversed = answer->decReversed;
            record_.settled = answer->settled;
        }
        phase_ = Phase::ended;
        return std::nullopt;
    case Phase::ended:
        break;
    }
    return std::nullopt;
}

Progress Flip::progress() const {
    using State = ProgressStep::State;
    const auto at = static_cast<int>(phase_);
    const auto state = [&](Phase from, Phase to) {
        return at > static_cast<int>(to)      ? State::done
               : at >= static_cast<int>(from) ? State::running
                                              : State::ahead;
    };
    Progress p;
    p.steps = {{Text::say("Stop guiding"), state(Phase::start, Phase::pausingBefore)},
               {Text::say("Flip"), state(Phase::slewing, Phase::waiting)},
               {Text::say("Centre"), state(Phase::centring, Phase::cloudWait)}};
    if (setup_.guide)
        p.steps.push_back({Text::say("Guide again"), state(Phase::pausingAfter, Phase::guiding)});
    p.fraction = -1.0;
    if (phase_ == Phase::centring && centring_)
        p.waitingFor = centring_->progress().waitingFor;
    else if (pausing())
        p.waitingFor = Text::say("you to check the cables, then press Go on");
    else if (phase_ == Phase::waiting)
        p.waitingFor = Text::say("the mount, which has not flipped yet");
    else if (phase_ == Phase::cloudWait)
        p.waitingFor = Text::say("a clear field to solve");
    else if (phase_ == Phase::guideWait)
        p.waitingFor = Text::say("a minute before guide stars are looked for again");
    else if (phase_ == Phase::guiding)
        p.waitingFor = Text::say("guide stars, Dec and the loop");
    return p;
}

} // namespace nordstjerna
