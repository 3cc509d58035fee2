#include "core/motion/enough.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {

constexpr double enoughTurns = 2.0;
constexpr double blindSearch_s = 600.0; // without a known worm: the slowest usual turn

double furtherTime(double elapsed_s, double sigma, double wanted, double power) {
    return sigma <= wanted ? 0.0 : elapsed_s * (std::pow(sigma / wanted, 1.0 / power) - 1.0);
}

} // namespace

std::vector<WantedFigure> wantedFigures(const MotionAnalysis& m) {
    std::vector<WantedFigure> list;
    const double span = m.span_s();
    const auto drift = [&](const Text& name, const Measured& d) {
        const double wanted = std::max(0.05, 0.1 * std::abs(d.value));
        list.push_back(
            {name,
             Text::say("± %1 ″/min, want %2").arg(formatNumber(d.sigma, 3)).arg(formatNumber(wanted, 2)),
             furtherTime(span, d.sigma, wanted, 1.5)});
    };
    drift(Text::say("Dec drift"), m.dec.drift_arcsec_min);
    drift(Text::say("RA drift"), m.ra.drift_arcsec_min);
    const auto& worm = m.ra.periodic.worm;
    const double period = worm ? worm->period_s.value : m.wormGiven_s;
    if (period > 0.0) {
        const double turns = span / period;
        list.push_back({Text::say("Worm turns"),
                        Text::say("%1 of %2").arg(formatNumber(turns, 1)).arg(formatNumber(enoughTurns, 0)),
                        std::max(0.0, (enoughTurns - turns) * period)});
    } else {
        list.push_back({Text::say("Worm turns"), Text::say("no turn found in %1").arg(formatDuration(span)),
                        span < blindSearch_s ? blindSearch_s - span : 0.0});
    }
    if (!worm) {
        list.push_back({Text::say("Periodic error"),
                        period > 0.0 ? Text::say("after 1.2 turns") : Text::say("once a period stands out"),
                        period > 0.0 ? std::max(0.0, 1.2 * period - span) : -1.0});
        return list;
    }
    if (!worm->given) {
        const double wanted = 0.005 * period;
        list.push_back({Text::say("Worm period"),
                        Text::say("± %1 s, want %2")
                            .arg(formatNumber(worm->period_s.sigma, 1))
                            .arg(formatNumber(wanted, 1)),
                        furtherTime(span, worm->period_s.sigma, wanted, 1.5)});
    }
    double largest = 0.0;
    for (const PeriodicLine& h : worm->harmonics)
        largest = std::max(largest, h.amplitude_arcsec.sigma);
    const double wanted = std::max(0.1, 0.03 * worm->harmonics.front().amplitude_arcsec.value);
    list.push_back({Text::say("Harmonics"),
                    Text::say("± %1″, want %2").arg(formatNumber(largest, 2)).arg(formatNumber(wanted, 2)),
                    furtherTime(span, largest, wanted, 0.5)});
    return list;
}

} // namespace nordstjerna
