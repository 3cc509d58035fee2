#include "core/series/settle_advice.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace nordstjerna {

namespace {
constexpr double after_s = 15.0; // of the frame that wouldBegin: so long a rest of the motion is looked for
constexpr double harm_px = 0.7;
constexpr size_t fewestDithers = 8;
constexpr double worth_s = 1.0;

// When the rule would have let the next frame begin; negative: the time ran out.
double wouldBegin(const SettleTrace& trace, const SettleRule& rule) {
    std::optional<double> since;
    for (const SettleTrace::Look& l : trace.looks) {
        if (l.off_arcsec() > rule.within_arcsec)
            since.reset();
        else if (!since)
            since = l.t_s;
        if (since && l.t_s - *since >= rule.for_s)
            return l.t_s;
        if (l.t_s > rule.timeout_s)
            break;
    }
    return -1.0;
}

// Where the star stood on average in the seconds after that.
double restOf(const SettleTrace& trace, double from_s) {
    double ra = 0.0;
    double dec = 0.0;
    int n = 0;
    for (const SettleTrace::Look& l : trace.looks)
        if (l.t_s > from_s && l.t_s <= from_s + after_s) {
            ra += l.dra_arcsec;
            dec += l.ddec_arcsec;
            ++n;
        }
    return n > 0 ? std::hypot(ra, dec) / n : 0.0;
}
} // namespace

SettleTrace settleTrace(const std::vector<GuideGlance>& glances, double moved_s, double length_s) {
    SettleTrace trace;
    auto at = std::lower_bound(glances.begin(), glances.end(), moved_s,
                               [](const GuideGlance& g, double t) { return g.at_s < t; });
    for (; at != glances.end() && at->at_s - moved_s <= length_s; ++at)
        if (at->measured)
            trace.looks.push_back({at->at_s - moved_s, at->dra_arcsec, at->ddec_arcsec});
    return trace;
}

SettleCost settleCost(const std::vector<SettleTrace>& traces, const SettleRule& rule, double harm_arcsec) {
    SettleCost cost;
    if (traces.empty())
        return cost;
    const double each = 1.0 / static_cast<double>(traces.size());
    for (const SettleTrace& trace : traces) {
        const double t = wouldBegin(trace, rule);
        const double at = t < 0.0 ? rule.timeout_s : t;
        cost.seconds += each * at;
        cost.timedOut += t < 0.0 ? each : 0.0;
        cost.early += restOf(trace, at) > harm_arcsec ? each : 0.0;
    }
    return cost;
}

std::optional<SettleAdvice> adviseSettle(const std::vector<SettleTrace>& traces, const SettleRule& now,
                                         double scale, double exposure_s) {
    if (traces.size() < fewestDithers)
        return std::nullopt;
    SettleAdvice advice;
    advice.dithers = static_cast<int>(traces.size());
    advice.rule = now;
    advice.now = advice.then = settleCost(traces, now, harm_px * scale);
    constexpr std::array tolerances_px{0.7, 1.0, 1.2, 1.5, 2.0, 2.5, 3.0};
    constexpr std::array times_s{3.0, 4.0, 6.0, 8.0, 10.0, 15.0};
    for (double within : tolerances_px)
        for (double hold : times_s) {
            const SettleRule rule{within * scale, hold, now.timeout_s};
            const SettleCost cost = settleCost(traces, rule, harm_px * scale);
            // A rule that runs out of time is a rule that does not fit this night.
            if (cost.timedOut <= advice.now.timedOut &&
                cost.loss_s(exposure_s) < advice.then.loss_s(exposure_s)) {
                advice.rule = rule;
                advice.then = cost;
            }
        }
    advice.gain_s = advice.now.loss_s(exposure_s) - advice.then.loss_s(exposure_s);
    return advice.gain_s >= worth_s ? std::optional(advice) : std::nullopt;
}

} // namespace nordstjerna
