#include "core/procedure/gear_check.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/procedure/star_to_pulse.h"

namespace nordstjerna {

namespace {
// Of RA: quiet frames, then a leg one way, and the next one back. Long legs tell more than short ones: what
// drift and worm do meanwhile is little beside them.
constexpr int raBlocks = 4, quietFrames = 12, pulseFrames = 12;
constexpr int raFrames = raBlocks * (quietFrames + pulseFrames) + quietFrames;
constexpr int decPulses = 12;         // of a leg, once it follows
constexpr int mostUntilFollowed = 60; // pulses
constexpr int framesLost = 6;         // in a row
constexpr double followedShare = 0.4; // of a pulse's way in one frame
} // namespace

Step GearCheck::advance(const Event& event) {
    if (const auto end = brokenOff(event))
        return *end;
    switch (phase_) {
    case Phase::start: {
        geometry_.emplace(setup_.calibration, event.mount.pointing.dec);
        pulses_ = pulsesThatMove(setup_.step_px * setup_.calibration.setup.scale_arcsec_px, *geometry_);
        phase_ = Phase::finding;
        return ExposeStep{std::max(2.0, setup_.exposure_s), CameraRole::guide};
    }
    case Phase::finding: {
        const auto frame = std::get<FrameTaken>(event.what).frame;
        auto stars = starsToPulse(*frame, setup_.step_px, 2 * decPulses);
        if (!stars)
            return FailStep{stars.error()};
        watch_ = std::move(*stars);
        begin_ = frame->info.middle().value_or(event.now);
        phase_ = Phase::looking;
        return look();
    }
    case Phase::looking:
        return measured(std::get<StarsTracked>(event.what));
    case Phase::pulsing:
        phase_ = Phase::pausing;
        return WaitStep{setup_.pause_s, Text::say("the axis to settle")};
    case Phase::pausing:
        phase_ = Phase::looking;
        return look();
    }
    return DoneStep{};
}

Step GearCheck::measured(const StarsTracked& tracked) {
    const auto shift = watch_.update(tracked);
    if (!shift) {
        if (watch_.lostFrames() > framesLost)
            return FailStep{{Text::say("The guide star was lost."),
                             Text::say("It was not found in seven frames in a row."),
                             Text::say("Check for cloud, choose a richer field, and check again.")}};
        return look();
    }
    const SkyError place = geometry_->toSky(shift->dx, shift->dy);
    const bool follows = raFrame_ >= raFrames && leg_ != DecLeg::clearing && leg_ != DecLeg::turning &&
                         leg_ != DecLeg::turningBack;
    samples_.push_back(
        {tracked.middle - *begin_, place.dra_arcsec, place.ddec_arcsec, promised_, follows, reversals_});
    const Step step = next(place);
    last_ = place;
    return step;
}

Step GearCheck::next(const SkyError& place) {
    if (raFrame_ < raFrames)
        return give(raPulse());
    if (setup_.rig.mount.decMotor)
        if (const auto pulse = decPulse(place))
            return give(*pulse);
    answer_ = gearAnswer(samples_, setup_.rig.mount.wormPeriod_s);
    if (setup_.rig.mount.decMotor && !answer_->decTried)
        return FailStep{{Text::say("The star does not follow Dec pulses."),
                         Text::say("It had not moved after %n pulse.|It had not moved after %n pulses.", "",
                                   mostUntilFollowed),
                         Text::say("Check the Dec clutch, and the guide cable or link.")}};
    return DoneStep{};
}

PulsePair GearCheck::raPulse() {
    const int inBlock = raFrame_ % (quietFrames + pulseFrames);
    const bool west = (raFrame_ / (quietFrames + pulseFrames)) % 2 == 0;
    ++raFrame_;
    if (inBlock < quietFrames)
        return {};
    return {west ? pulses_.ra_ms : -pulses_.ra_ms, 0.0};
}

void GearCheck::enter(DecLeg leg) {
    leg_ = leg;
    inLeg_ = followed_ = 0;
    reversals_ += leg == DecLeg::turning || leg == DecLeg::turningBack;
}

std::optional<PulsePair> GearCheck::decPulse(const SkyError& place) {
    const double step_arcsec = 0.001 * pulses_.dec_ms * std::abs(geometry_->decRate_arcsec_s());
    const bool moved =
        last_ && std::abs(place.ddec_arcsec - last_->ddec_arcsec) > followedShare * step_arcsec;
    followed_ = moved && inLeg_ > 0 ? followed_ + 1 : 0;
    const PulsePair north{0.0, pulses_.dec_ms}, south{0.0, -pulses_.dec_ms};
    ++inLeg_;
    switch (leg_) {
    case DecLeg::clearing:
    case DecLeg::turning:
    case DecLeg::turningBack: {
        const bool wantsNorth = leg_ != DecLeg::turning;
        if (inLeg_ > mostUntilFollowed)
            return std::nullopt;
        if (followed_ >= 2) {
            enter(leg_ == DecLeg::clearing  ? DecLeg::north
                  : leg_ == DecLeg::turning ? DecLeg::south
                                            : DecLeg::northAgain);
            samples_.back().decFollows = true;
        }
        return wantsNorth ? north : south;
    }
    case DecLeg::north:
    case DecLeg::northAgain:
    case DecLeg::south: {
        if (inLeg_ <= decPulses)
            return leg_ == DecLeg::south ? south : north;
        if (leg_ == DecLeg::northAgain)
            return std::nullopt;
        enter(leg_ == DecLeg::north ? DecLeg::quietNorth : DecLeg::quietSouth);
        return PulsePair{};
    }
    case DecLeg::quietNorth:
    case DecLeg::quietSouth:
        if (inLeg_ <= quietFrames)
            return PulsePair{};
        enter(leg_ == DecLeg::quietNorth ? DecLeg::turning : DecLeg::turningBack);
        return leg_ == DecLeg::turning ? south : north;
    }
    return std::nullopt;
}

Step GearCheck::give(const PulsePair& pulse) {
    const SkyError way = geometry_->motionOf(pulse);
    if (pulse.ra_ms != 0.0)
        promised_[pulse.ra_ms > 0.0 ? 0 : 1] += way.dra_arcsec;
    if (pulse.dec_ms != 0.0)
        promised_[pulse.dec_ms > 0.0 ? 2 : 3] += way.ddec_arcsec;
    if (pulse.ra_ms == 0.0 && pulse.dec_ms == 0.0)
        return look();
    phase_ = Phase::pulsing;
    return PulseStep{pulse.ra_ms, pulse.dec_ms};
}

Progress GearCheck::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const bool ra = raFrame_ < raFrames;
    p.steps.push_back({Text::say("RA west and east"), phase_ == Phase::start ? State::ahead
                                                      : ra                   ? State::running
                                                                             : State::done});
    if (setup_.rig.mount.decMotor)
        p.steps.push_back({Text::say("Dec north and south"), ra        ? State::ahead
                                                             : answer_ ? State::done
                                                                       : State::running});
    constexpr int decFrames = 3 * decPulses + 2 * quietFrames + 20; // with a usual backlash
    const int all = raFrames + (setup_.rig.mount.decMotor ? decFrames : 0);
    const int seen = static_cast<int>(samples_.size());
    p.fraction = std::min(0.98, static_cast<double>(seen) / all);
    p.timeLeft_s = std::max(0, all - seen) * (setup_.exposure_s + setup_.pause_s + 1.0);
    p.waitingFor = Text::say("frame %1 of about %2").arg(seen + 1).arg(std::max(all, seen + 1));
    return p;
}

} // namespace nordstjerna
