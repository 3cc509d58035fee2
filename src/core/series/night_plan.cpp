#include "core/series/night_plan.h"

#include "core/sky/observed_frame.h"

namespace nordstjerna {

bool FollowingTarget::operator==(const FollowingTarget& o) const {
    return name == o.name && place.ra.rad() == o.place.ra.rad() && place.dec.rad() == o.place.dec.rad() &&
           frames == o.frames;
}

SeriesSetup setupOf(const FollowingTarget& target, const SeriesSetup& first) {
    SeriesSetup s = first;
    s.targetName = target.name;
    s.target = vectorFrom(target.place);
    s.ends.frames = target.frames;
    s.start.at.reset();
    s.start.dusk.reset(); // the one before has seen to it
    s.guiding = false;
    return s;
}

std::vector<NightStretch> planFollowing(const SeriesSetup& first, const std::vector<FollowingTarget>& targets,
                                        Instant begins, const std::optional<Night>& night) {
    std::vector<NightStretch> all;
    Instant t = begins;
    for (const FollowingTarget& target : targets) {
        NightStretch s;
        s.name = target.name;
        s.from = s.to = t;
        const SeriesSetup setup = setupOf(target, first);
        const auto rules = SeriesRules::from(setup, t, night);
        if (!rules) {
            s.none = rules.error();
        } else {
            // A slew there hangs the telescope on the side on which the target stands.
            const Instant there = std::max(t, rules->begins());
            const bool across =
                ObservedFrame(setup.rig.site, there).hourAngleDec(setup.target).hourAngle.rad() > 0.0;
            SeriesPlan plan = planSeries(setup, *rules, t, across, 0, false);
            if (plan.frames == 0) {
                s.none = Problem{Text::say("No frame of %1 fits.").arg(target.name), plan.endsBecause, ""};
            } else {
                if (plan.blocks.front().kind == PlanKind::wait)
                    s.from = plan.blocks.front().to;
                s.to = t = plan.ends;
                s.frames = plan.frames;
                s.exposed_s = plan.exposed_s;
                s.ends = plan.endsBecause;
                s.blocks = std::move(plan.blocks);
            }
        }
        all.push_back(std::move(s));
    }
    return all;
}

} // namespace nordstjerna
