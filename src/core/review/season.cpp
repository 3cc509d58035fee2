#include "core/review/season.h"

#include <cmath>

namespace nordstjerna {

namespace {
// The last one made in time to explain it: a cause stands before what it does. A day is allowed for, since
// marks know only the date.
std::optional<HardwareMark> markBetween(const std::vector<HardwareMark>& marks, Instant last, Instant first) {
    constexpr double day_s = 86400.0;
    std::optional<HardwareMark> found;
    for (const HardwareMark& m : marks)
        if (m.day - last > -day_s && first - m.day > -0.5 * day_s && (!found || found->day < m.day))
            found = m;
    return found;
}
} // namespace

std::optional<Improvement> whatHelpedMost(const std::vector<SeasonLine>& lines,
                                          const std::vector<HardwareMark>& marks) {
    std::optional<Improvement> best;
    double most = 0.0;
    for (const SeasonLine& line : lines)
        for (const TrendChange& c : line.trend.changes) {
            if (c.before.value <= 0.0 || c.after.value >= c.before.value)
                continue;
            const double part = 1.0 - c.after.value / c.before.value;
            if (part <= most)
                continue;
            most = part;
            const Instant last = line.points[c.at - 1].when;
            const Instant first = line.points[c.at].when;
            best = Improvement{line.figure, c.before, c.after, last, first, markBetween(marks, last, first)};
        }
    return best;
}

} // namespace nordstjerna
