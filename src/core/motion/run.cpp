#include "core/motion/run.h"

#include <array>
#include <cmath>

namespace nordstjerna {

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

bool countsForRms(const RunRow& row) {
    if (!row.measured())
        return false;
    for (const char* out : {"settl", "dither", "lost", "cloud", "slew", "flip", "runs away"})
        if (row.event.find(out) != std::string::npos)
            return false;
    return true;
}

} // namespace nordstjerna
