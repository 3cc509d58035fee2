#include "core/sky/target_night.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/sky/moon.h"

namespace nordstjerna {

namespace {
// Stretches in which something holds, looked for at the given moments and narrowed to a second.
std::vector<Window> stretches(const std::vector<Instant>& at, const std::function<bool(Instant)>& holds) {
    std::vector<Window> list;
    bool open = false;
    for (size_t i = 0; i < at.size(); ++i) {
        const bool now = holds(at[i]);
        if (now == open)
            continue;
        Instant edge = at[i];
        if (i > 0) {
            Instant low = at[i - 1];
            while (edge - low > 1.0) {
                const Instant middle = low + 0.5 * (edge - low);
                (holds(middle) == now ? edge : low) = middle;
            }
        }
        if (now)
            list.push_back({edge, at.back()});
        else
            list.back().to = edge;
        open = now;
    }
    return list;
}
} // namespace

std::optional<TargetNight> targetNight(const Site& site, const HorizonProfile& horizon, const Vec3& icrs,
                                       const std::optional<Night>& night, double least_deg) {
    if (!night)
        return std::nullopt;
    constexpr double every_s = 300.0;
    const int steps = std::max(2, static_cast<int>((night->sunrise - night->sunset) / every_s));
    TargetNight t;
    t.track = skyTrack(site, horizon, icrs, night->sunset, night->sunrise, steps);
    std::vector<Instant> moments;
    for (const TrackPoint& p : t.track) {
        moments.push_back(p.when);
        if (p.place.altitude.deg() > t.highest_deg || moments.size() == 1) {
            t.highest_deg = p.place.altitude.deg();
            t.highestAt = p.when;
        }
    }
    const ObservedFrame frame(site, night->sunset);
    t.free = stretches(moments, [&](Instant when) {
        const Vec3 enu = frame.turnedTo(when).seen(icrs);
        return !horizon.hides(enu) && enu.z() > std::sin(least_deg * M_PI / 180.0);
    });
    const Instant dark = night->astronomicalEnd ? *night->astronomicalEnd
                         : night->nauticalEnd   ? *night->nauticalEnd
                         : night->civilEnd      ? *night->civilEnd
                                                : night->sunset;
    const Instant light = night->astronomicalStart ? *night->astronomicalStart
                          : night->nauticalStart   ? *night->nauticalStart
                          : night->civilStart      ? *night->civilStart
                                                   : night->sunrise;
    for (const Window& w : t.free) {
        const Window both{std::max(w.from, dark), std::min(w.to, light)};
        if (both.to <= both.from)
            continue;
        t.darkHours += both.hours();
        if (!t.best || both.hours() > t.best->hours())
            t.best = both;
    }
    const Instant middle = t.best ? t.best->from + 0.5 * (t.best->to - t.best->from)
                                  : night->sunset + 0.5 * (night->sunrise - night->sunset);
    const MoonSeen moon = moonAt(site, middle);
    t.moonAway_deg = separation(moon.icrs, icrs).deg();
    t.moonLit = moon.lit;
    t.moonWaxing = moon.waxing;
    std::vector<Instant> quarters;
    for (size_t i = 0; i < moments.size(); i += 3)
        quarters.push_back(moments[i]);
    if (quarters.back() != moments.back())
        quarters.push_back(moments.back());
    const auto up = stretches(quarters, [&](Instant when) { return moonAt(site, when).enu.z() > 0.0; });
    if (!up.empty())
        t.moonUp = up.front();
    return t;
}

} // namespace nordstjerna
