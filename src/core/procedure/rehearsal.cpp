#include "core/procedure/rehearsal.h"

#include <algorithm>

#include "core/base/format.h"
#include "core/procedure/slew.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

namespace {
constexpr double restGlance_s = 0.5;
constexpr double reached_deg = 0.5;

const std::string eastSide = "east", westSide = "west";

struct Path {
    std::string name;
    SeriesSetup setup;
    Instant from, to;
    std::optional<Instant> flip;
};

void addStops(std::vector<RehearsalStop>& stops, const Path& p) {
    const auto at = [&](Instant t) {
        return ObservedFrame(p.setup.rig.site, t).hourAngleDec(targetAt(p.setup, t));
    };
    const auto sideAt = [&](Instant t) {
        const bool over = p.flip ? t >= *p.flip : at(t).hourAngle.wrappedSigned().rad() > 0.0;
        return over ? westSide : eastSide;
    };
    stops.push_back({Text::say("%1, where it begins").arg(p.name), at(p.from), sideAt(p.from)});
    if (p.flip && *p.flip > p.from && *p.flip < p.to) {
        stops.push_back({Text::say("%1, before the flip").arg(p.name), at(*p.flip), eastSide});
        stops.push_back({Text::say("%1, after the flip").arg(p.name), at(*p.flip), westSide});
    }
    stops.push_back({Text::say("%1, where it ends").arg(p.name), at(p.to), sideAt(p.to)});
}

// A mount that cannot be told its side comes to a place past the meridian flipped; unflipped it gets there
// only by tracking. Just before the meridian its cables hang nearly as they will.
HourAngleDec reachable(const RehearsalStop& stop, const MountState& mount) {
    constexpr double before_h = -0.05;
    HourAngleDec place = stop.place;
    const double hourAngle_h = place.hourAngle.wrappedSigned().hours();
    if (!mount.choosesSide && stop.side == eastSide && hourAngle_h > before_h && hourAngle_h < 3.0)
        place.hourAngle = Angle::fromHours(before_h);
    return place;
}
} // namespace

std::vector<RehearsalStop> rehearsalStops(const SeriesSetup& first, const SeriesPlan& plan,
                                          const std::vector<FollowingTarget>& following,
                                          const std::vector<NightStretch>& stretches) {
    std::vector<RehearsalStop> stops;
    const auto exposing =
        [](const std::vector<PlanBlock>& blocks) -> std::optional<std::pair<Instant, Instant>> {
        std::optional<std::pair<Instant, Instant>> span;
        for (const PlanBlock& b : blocks)
            if (b.kind == PlanKind::frame)
                span = {span ? span->first : b.from, b.to};
        return span;
    };
    const auto flipIn = [](const std::vector<PlanBlock>& blocks) -> std::optional<Instant> {
        for (const PlanBlock& b : blocks)
            if (b.kind == PlanKind::flip)
                return b.from;
        return std::nullopt;
    };
    if (const auto span = exposing(plan.blocks))
        addStops(stops, {first.targetName, first, span->first, span->second, flipIn(plan.blocks)});
    for (size_t i = 0; i < stretches.size() && i < following.size(); ++i)
        if (const auto span = exposing(stretches[i].blocks))
            addStops(stops, {following[i].name, setupOf(following[i], first), span->first, span->second,
                             flipIn(stretches[i].blocks)});
    return stops;
}

Rehearsal::Rehearsal(RehearsalSetup setup)
    : setup_(std::move(setup)), outcomes_(setup_.stops.size(), Outcome::ahead) {}

// A slew that failed is told, not tried again: by day somebody stands beside it.
bool Rehearsal::repeatable(const Step&) const {
    return false;
}

std::optional<size_t> Rehearsal::restsAt() const {
    return phase_ == Phase::resting && at_ < outcomes_.size() ? std::optional(at_) : std::nullopt;
}

void Rehearsal::caught() {
    if (const auto here = restsAt())
        outcomes_[*here] = Outcome::caught;
}

bool Rehearsal::clear() const {
    return std::all_of(outcomes_.begin(), outcomes_.end(), [](Outcome o) { return o == Outcome::good; });
}

Step Rehearsal::advance(const Event& event) {
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    if (const auto* failed = std::get_if<StepFailed>(&event.what)) {
        if (at_ < outcomes_.size())
            outcomes_[at_] = Outcome::notReached;
        return FailStep{failed->problem};
    }
    switch (phase_) {
    case Phase::start:
        if (setup_.stops.empty())
            return FailStep{{Text::say("There is nothing to rehearse."),
                             Text::say("The plan takes no frame tonight."),
                             Text::say("Plan the night at Expose first.")}};
        return next(event);
    case Phase::slewing: {
        const HourAngleDec wanted = reachable(setup_.stops[at_], event.mount);
        const HourAngleDec& is = event.mount.pointing;
        const double off =
            std::max(std::abs((is.hourAngle - wanted.hourAngle).wrappedSigned().deg()) * cos(wanted.dec),
                     std::abs((is.dec - wanted.dec).deg()));
        outcomes_[at_] = off < reached_deg ? Outcome::good : Outcome::notReached;
        phase_ = Phase::stopping;
        return TrackingStep{false}; // nothing runs on while a hand is at the cables
    }
    case Phase::stopping:
        phase_ = Phase::resting;
        rested_s_ = 0.0;
        goOn_ = false;
        return WaitStep{restGlance_s, Text::say("look after cables, straps and legs")};
    case Phase::resting:
        rested_s_ += restGlance_s;
        if (goOn_ || (!setup_.stay && rested_s_ >= setup_.pause_s)) {
            ++at_;
            return next(event);
        }
        return WaitStep{restGlance_s, Text::say("look after cables, straps and legs")};
    }
    return DoneStep{};
}

Step Rehearsal::next(const Event& event) {
    phase_ = Phase::slewing;
    if (at_ >= setup_.stops.size())
        return DoneStep{};
    const RehearsalStop& stop = setup_.stops[at_];
    const std::string side = event.mount.choosesSide ? stop.side : std::string();
    return announcedSlew(setup_.rig, event, reachable(stop, event.mount),
                         Text::say("Slewing to %1").arg(stop.name), side);
}

Progress Rehearsal::progress() const {
    using State = ProgressStep::State;
    Progress p;
    for (size_t i = 0; i < setup_.stops.size(); ++i)
        p.steps.push_back({setup_.stops[i].name, i < at_    ? State::done
                                                 : i == at_ ? State::running
                                                            : State::ahead});
    p.fraction =
        setup_.stops.empty() ? 0.0 : static_cast<double>(at_) / static_cast<double>(setup_.stops.size());
    p.waitingFor = phase_ == Phase::resting ? Text::say("look after cables, straps and legs")
                                            : Text::say("the mount to get there");
    return p;
}

} // namespace nordstjerna
