// Periodic-error curves on disk: ECSV 1.0 with phase, error and rate over one turn of the worm. See
// docs/files.md.
#pragma once

#include <filesystem>

#include "core/motion/correction_curve.h"

namespace nordstjerna {

// Never overwrites.
Expected<void> writeCurve(const std::filesystem::path& path, const CorrectionCurve& curve);
// Fails when phases are missing or uneven, units differ, or values are no numbers.
Expected<CorrectionCurve> readCurve(const std::filesystem::path& path);

} // namespace nordstjerna
