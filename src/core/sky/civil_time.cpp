#include "core/sky/civil_time.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

CivilTime::CivilTime(std::vector<Step> steps) {
    if (!steps.empty())
        steps_ = std::make_shared<const std::vector<Step>>(std::move(steps));
}

const CivilTime::Step* CivilTime::at(Instant t) const {
    if (!steps_)
        return nullptr;
    const auto after = std::upper_bound(steps_->begin(), steps_->end(), t,
                                        [](Instant when, const Step& s) { return when < s.from; });
    return after == steps_->begin() ? &steps_->front() : &*std::prev(after);
}

int CivilTime::offset_s(Instant t) const {
    const Step* step = at(t);
    return step ? step->offset_s : 0;
}

std::string CivilTime::name(Instant t) const {
    const Step* step = at(t);
    return step ? step->name : "UTC";
}

std::string CivilTime::clock(Instant t) const {
    return formatClock(t, offset_s(t) / 3600.0);
}

std::string CivilTime::day(Instant t) const {
    return formatDay(t, offset_s(t) / 3600.0);
}

Instant CivilTime::momentOf(double minutes, Instant from) const {
    constexpr double day_s = 86400.0;
    const auto shown = [](Instant t, int offset) {
        const double s = std::fmod(t.unix_s + offset, day_s);
        return s < 0.0 ? s + day_s : s;
    };
    // By each offset that holds within the day, the first moment at which it really holds.
    Instant end = from + day_s;
    std::vector<Step> here{{from, offset_s(from), {}}};
    if (steps_)
        for (const Step& s : *steps_)
            if (s.from > from && s.from < end)
                here.push_back(s);
    for (size_t i = 0; i < here.size(); ++i) {
        const Instant until = i + 1 < here.size() ? here[i + 1].from : end;
        double ahead = 60.0 * minutes - shown(here[i].from, here[i].offset_s);
        if (ahead < 0.0)
            ahead += day_s;
        const Instant moment = here[i].from + ahead;
        if (moment < until)
            return moment;
        // Skipped by the step that ends this stretch: before it clocks had not come so far, after it they are
        // past.
        if (i + 1 < here.size()) {
            const double before = shown(until, here[i].offset_s), after = shown(until, here[i + 1].offset_s);
            if (60.0 * minutes >= before && 60.0 * minutes < after)
                return until;
        }
    }
    return end;
}

std::vector<Instant> CivilTime::hours(Instant from, Instant to) const {
    constexpr double hour_s = 3600.0, quarter_s = 900.0; // offsets are whole quarters
    std::vector<Instant> list;
    for (Instant t{std::ceil(from.unix_s / quarter_s) * quarter_s}; t < to; t = t + quarter_s)
        if (std::fmod(t.unix_s + offset_s(t), hour_s) == 0.0)
            list.push_back(t);
    return list;
}

} // namespace nordstjerna
