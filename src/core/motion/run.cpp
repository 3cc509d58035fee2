#include "core/motion/run.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace nordstjerna {

AxisGlimpse glimpseOf(const AxisBelief& b) {
    return {static_cast<float>(b.place_arcsec.value), static_cast<float>(b.place_arcsec.sigma),
            static_cast<float>(b.next_arcsec.value), static_cast<float>(b.seenSigma_arcsec)};
}

bool RunRow::measured() const {
    return std::isfinite(dra_arcsec) && std::isfinite(ddec_arcsec);
}

namespace {
constexpr std::array<const char*, 4> kindNames{"free", "guided", "backlash", "calibration"};
}

const char* runKindName(RunKind kind) {
    return kindNames[static_cast<size_t>(kind)];
}

std::optional<RunKind> runKindFrom(const std::string& name) {
    for (size_t i = 0; i < kindNames.size(); ++i)
        if (name == kindNames[i])
            return static_cast<RunKind>(i);
    return std::nullopt;
}

RunRow asRecorded(RunRow r) {
    const auto round = [](double& v, double steps) {
        if (std::isfinite(v))
            v = std::round(v * steps) / steps;
    };
    round(r.t_s, 1e3);
    round(r.dra_arcsec, 1e4);
    round(r.ddec_arcsec, 1e4);
    round(r.pulseRa_ms, 10.0);
    round(r.pulseDec_ms, 10.0);
    round(r.centroid_arcsec, 1e4);
    round(r.worm_turns, 1e6);
    return r;
}

std::vector<RunRow>::const_iterator rowAt(const std::vector<RunRow>& rows, double t_s) {
    return std::lower_bound(rows.begin(), rows.end(), t_s,
                            [](const RunRow& r, double t) { return r.t_s < t; });
}

bool countsForRms(const RunRow& row) {
    return row.measured() && !row.events.disturbs();
}

} // namespace nordstjerna
