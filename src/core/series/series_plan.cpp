#include "core/series/series_plan.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/format.h"
#include "core/rig/scales.h"
#include "core/series/filter_turns.h"

namespace nordstjerna {

namespace {
std::optional<Instant> duskOf(const Night& n, Twilight t) {
    return t == Twilight::civil ? n.civilEnd : t == Twilight::nautical ? n.nauticalEnd : n.astronomicalEnd;
}
std::optional<Instant> dawnOf(const Night& n, Twilight t) {
    return t == Twilight::civil      ? n.civilStart
           : t == Twilight::nautical ? n.nauticalStart
                                     : n.astronomicalStart;
}
} // namespace

const char* twilightName(Twilight t) {
    switch (t) {
    case Twilight::civil:
        return Text::mark("civil");
    case Twilight::nautical:
        return Text::mark("nautical");
    case Twilight::astronomical:
        break;
    }
    return Text::mark("astronomical");
}

Vec3 targetAt(const SeriesSetup& s, Instant t) {
    return s.aim.target.placeAt(s.target, t);
}

SettleRule settleRule(const SeriesSetup& s) {
    return {s.dither.within_px * scalesOf(s.rig).image_arcsec_px, s.dither.for_s, s.dither.timeout_s};
}

Expected<void> validateSeries(const SeriesSetup& s) {
    if (!(s.exposure_s >= 0.1) || s.exposure_s > 7200.0)
        return problem(Text::say("Frames of %1 s cannot be taken.").arg(formatNumber(s.exposure_s, 1)),
                       Text::say("An exposure lasts from 0.1 s to two hours."),
                       Text::say("Correct the exposure."));
    if (s.ends.frames < 0)
        return problem(Text::say("The number of frames cannot be negative."), "",
                       Text::say("Correct the number."));
    for (const FilterTurn& t : s.turns) {
        if (std::find(s.rig.filters.begin(), s.rig.filters.end(), t.filter) == s.rig.filters.end())
            return problem(Text::say("There is no filter %1.").arg(t.filter),
                           Text::say("The rig does not name it."),
                           Text::say("Correct the filters at Rig, or those of the series."));
        if (t.frames < 1 || t.exposure_s < 0.0 || t.exposure_s > 7200.0)
            return problem(Text::say("The frames through %1 cannot be taken.").arg(t.filter),
                           Text::say("At least one frame has its turn, of at most two hours."),
                           Text::say("Correct the filters of the series."));
    }
    if (s.cooler.to_c && !(*s.cooler.to_c >= -60.0 && *s.cooler.to_c <= 40.0))
        return problem(
            Text::say("The camera cannot be cooled to %1 °C.").arg(formatNumber(*s.cooler.to_c, 0)),
            Text::say("From −60 to 40 °C are possible."), Text::say("Correct the temperature."));
    if (s.start.at && s.ends.at && *s.ends.at <= *s.start.at)
        return problem(Text::say("The series would end before it begins."),
                       Text::say("It begins at %1 and ends at %2 %3.")
                           .arg(s.zone.clock(*s.start.at))
                           .arg(s.zone.clock(*s.ends.at))
                           .arg(s.zone.name(*s.ends.at)),
                       Text::say("Correct one of the times."));
    if (s.start.altitude_deg > 89.0 || s.ends.altitude_deg > 89.0)
        return problem(Text::say("Nothing stands that high."),
                       Text::say("The altitudes of start and end go up to 89°."),
                       Text::say("Correct the altitude."));
    if (s.dither.every > 0 && (!(s.dither.size_px > 0.0) || s.dither.size_px > 500.0))
        return problem(Text::say("A dither of %1 px makes no sense.").arg(formatNumber(s.dither.size_px, 1)),
                       Text::say("From a fraction of a pixel to 500 px are possible."),
                       Text::say("Correct the size."));
    if (s.dither.every > 0 && (!(s.dither.within_px >= 0.0) || s.dither.timeout_s <= s.dither.for_s))
        return problem(
            Text::say("Nothing could settle like that."),
            Text::say(
                "The tolerance must not be negative and the time-out longer than the time it must hold."),
            Text::say("Correct the settling."));
    if (!(s.refocus.grown >= 0.02) || s.refocus.grown > 1.0)
        return problem(Text::say("Refocusing at %1 % growth is not possible.")
                           .arg(formatNumber(100.0 * s.refocus.grown, 0)),
                       Text::say("Growth below 2 % is seeing, and at 100 % focus is long gone."),
                       Text::say("Choose between 2 % and 100 % growth."));
    constexpr double fastest_arcsec_h = 3600.0;
    if (s.aim.target.speed_arcsec_h() > fastest_arcsec_h)
        return problem(Text::say("A target that moves by %1″ an hour cannot be followed.")
                           .arg(formatNumber(s.aim.target.speed_arcsec_h(), 0)),
                       Text::say("Guiding follows up to 3600″ an hour."),
                       Text::say("Correct the motion of the target."));
    if (s.aim.target.any() && !s.guided)
        return problem(Text::say("A moving target needs guiding."),
                       Text::say("The guide loop is what follows it."),
                       Text::say("Let the series be guided, or leave the motion at 0."));
    if (s.flip.past_min < 1.0)
        return problem(Text::say("Flipping at the meridian itself is left to chance."),
                       Text::say("A clock half a minute wrong decides which side the mount takes."),
                       Text::say("Wait for a minute past the meridian at least."));
    return {};
}

Expected<SeriesRules> SeriesRules::from(const SeriesSetup& setup, Instant now,
                                        const std::optional<Night>& night) {
    if (auto valid = validateSeries(setup); !valid)
        return tl::unexpected(valid.error());
    SeriesRules r;
    r.setup_ = setup;
    const Rig& rig = setup.rig;
    Instant begins = now;
    const auto later = [&](Instant t, const Text& why) {
        if (t > begins) {
            begins = t;
            r.beginsBecause_ = why;
        }
    };
    if (setup.start.at)
        later(*setup.start.at, Text::say("the time set"));
    if (setup.start.dusk && night)
        if (const auto dusk = duskOf(*night, *setup.start.dusk))
            later(*dusk, Text::say("%1 dusk").arg(Text::say(twilightName(*setup.start.dusk))));
    // From its rise above what stands round the site to its setting behind it, minute by minute.
    constexpr double step_s = 60.0;
    constexpr double span_s = 20.0 * 3600.0;
    const Vec3 target = targetAt(setup, begins);
    const auto track =
        skyTrack(rig.site, rig.horizon, target, begins, begins + span_s, static_cast<int>(span_s / step_s));
    const auto high = [](const TrackPoint& p, double least_deg) {
        return !p.hidden && p.place.altitude.deg() >= std::max(least_deg, 0.0);
    };
    auto up = std::find_if(track.begin(), track.end(),
                           [&](const TrackPoint& p) { return high(p, setup.start.altitude_deg); });
    if (up == track.end())
        return problem(Text::say("%1 does not come up.").arg(setup.targetName),
                       setup.start.altitude_deg > 0.0
                           ? Text::say("In the next %1 hours it stays below %2° or hidden.")
                                 .arg(formatNumber(span_s / 3600.0, 0))
                                 .arg(formatNumber(setup.start.altitude_deg, 0))
                           : Text::say("It stays behind the horizon profile for the next 20 hours."),
                       Text::say("Choose another target, or lower the altitude."));
    later(up->when, up == track.begin() ? Text() : Text::say("the target to stand high enough"));
    r.begins_ = begins;
    r.ends_ = track.back().when;
    r.endsBecause_ = Text::say("the night's end");
    const auto sooner = [&](Instant t, const Text& why) {
        if (t < r.ends_) {
            r.ends_ = t;
            r.endsBecause_ = why;
        }
    };
    const auto down =
        std::find_if(up, track.end(), [&](const TrackPoint& p) { return !high(p, setup.ends.altitude_deg); });
    if (down != track.end())
        sooner(down->when,
               down->hidden || setup.ends.altitude_deg <= 0.0
                   ? Text::say("the target sets behind the horizon")
                   : Text::say("the target sinks below %1°").arg(formatNumber(setup.ends.altitude_deg, 0)));
    if (setup.ends.at)
        sooner(*setup.ends.at, Text::say("the time set"));
    if (setup.ends.dawn && night)
        if (const auto dawn = dawnOf(*night, *setup.ends.dawn))
            sooner(*dawn, Text::say("%1 dawn").arg(Text::say(twilightName(*setup.ends.dawn))));
    if (r.ends_ <= r.begins_)
        return problem(Text::say("The series would end before it begins."),
                       Text::say("It would begin at %1 and end at %2 %3: %4.")
                           .arg(setup.zone.clock(r.begins_))
                           .arg(setup.zone.clock(r.ends_))
                           .arg(setup.zone.name(r.ends_))
                           .arg(r.endsBecause_),
                       Text::say("Let it begin sooner, or end later."));
    r.meridian_ = meridianPassage(rig.site, target, begins);
    // The upper passage that matters is the one within the series, or the last one before it.
    if (r.meridian_ - begins > 12.0 * 3600.0)
        r.meridian_ = r.meridian_ + -siderealDay_s;
    const auto reach_s = [](Angle limit) { return limit.hours() * siderealHour_s; };
    r.limit_ = r.meridian_ + reach_s(rig.mount.meridianLimitEast);
    r.mayFlip_ = r.meridian_ + 60.0 * setup.flip.past_min;
    constexpr double inside_s = 60.0; // the flipped telescope reaches back so much less than its limit
    r.mayFlipEarly_ = r.meridian_ + std::min(inside_s - reach_s(rig.mount.meridianLimitWest), 0.0);
    return r;
}

// What still fits, s; 0: nothing that would be worth it.
double SeriesRules::fillerBefore(Instant limit, Instant now, double exposure_s) const {
    constexpr double margin_s = 5.0; // nothing is exact to the second
    constexpr double leastShare = 0.25;
    constexpr double least_s = 20.0;
    const double fits_s = std::floor(limit - now - margin_s);
    return setup_.flip.fill && fits_s >= std::max(least_s, leastShare * exposure_s) ? fits_s : 0.0;
}

SeriesMove SeriesRules::next(Instant now, bool across, int framesDone) const {
    using Kind = SeriesMove::Kind;
    if (setup_.ends.frames > 0 && framesDone >= setup_.ends.frames)
        return {Kind::end, 0.0, Text::say("all frames are taken")};
    if (now < begins_)
        return {Kind::wait, begins_ - now, beginsBecause_};
    const double exposure_s = exposureAt(setup_, framesDone);
    if (now + exposure_s > ends_)
        return {Kind::end, 0.0, endsBecause_};
    if (!across && now >= mayFlip_ && setup_.flip.allowed)
        return {Kind::flip, 0.0, {}};
    if (!across && now + exposure_s > limit_) {
        if (!setup_.flip.allowed)
            return {Kind::end, 0.0, Text::say("the mount reaches its limit")};
        if (const double fits_s = fillerBefore(limit_, now, exposure_s); fits_s > 0.0)
            return {Kind::frame, fits_s, {}};
        if (!setup_.flip.early)
            return {Kind::wait, mayFlip_ - now,
                    Text::say("the meridian: the next frame would not end before the mount's limit")};
        if (now < mayFlipEarly_)
            return {Kind::wait, mayFlipEarly_ - now, Text::say("the flip: the mount cannot come over yet")};
        return {Kind::flip, 0.0, {}};
    }
    return {Kind::frame, 0.0, {}};
}

SeriesPlan planSeries(const SeriesSetup& setup, const SeriesRules& rules, Instant now, bool across,
                      int framesDone, bool running) {
    SeriesPlan plan;
    Instant t = now;
    int done = framesDone;
    int sinceDither = 0;
    bool begun = running;
    std::string filter = filterAt(setup, std::max(framesDone - 1, 0)); // before the camera
    const auto put = [&](PlanKind kind, double seconds) {
        plan.blocks.push_back({kind, t, t + seconds});
        t = t + seconds;
    };
    constexpr size_t most = 5000;
    while (plan.blocks.size() < most) {
        const SeriesMove move = rules.next(t, across, done);
        if (move.kind == SeriesMove::Kind::end) {
            plan.endsBecause = move.why;
            break;
        }
        switch (move.kind) {
        case SeriesMove::Kind::wait:
            put(PlanKind::wait, std::max(move.seconds, 1.0));
            break;
        case SeriesMove::Kind::flip:
            if (!plan.flip)
                plan.flip = t;
            across = true;
            put(PlanKind::flip, setup.flipping_s);
            sinceDither = 0;
            begun = true;
            break;
        default:
            if (!begun) {
                begun = true;
                put(PlanKind::begin, setup.beginning_s);
                break;
            }
            if (setup.dither.every > 0 && sinceDither >= setup.dither.every) {
                sinceDither = 0;
                ++plan.dithers;
                plan.dithering_s += setup.settling_s;
                put(PlanKind::dither, setup.settling_s);
                break;
            }
            if (const std::string next = filterAt(setup, done); next != filter) {
                filter = next;
                put(PlanKind::filter, setup.changing_s);
                break;
            }
            const double exposure_s = move.seconds > 0.0 ? move.seconds : exposureAt(setup, done);
            put(PlanKind::frame, exposure_s + setup.betweenFrames_s);
            plan.exposed_s += exposure_s;
            ++sinceDither;
            if (move.seconds > 0.0)
                break;
            ++done;
            ++plan.frames;
        }
    }
    plan.ends = t;
    return plan;
}

} // namespace nordstjerna
