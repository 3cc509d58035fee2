// What the evening knows for guiding or a free run to begin with.
#pragma once

#include "core/procedure/prepare_guiding.h"
#include "desk/evening/calibration_book.h"
#include "desk/evening/mount_book.h"

namespace nordstjerna {

GuidingInputs guidingInputs(const RigBook& rigs, const GuideSettings& settings,
                            const CalibrationBook& calibrationBook, const MountBook& mountBook,
                            const MountDesk& mount);

} // namespace nordstjerna
