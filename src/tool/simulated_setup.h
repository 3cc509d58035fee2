// What every simulated recording of the tool begins with.
#pragma once

#include <memory>

#include "core/guide/settings_book.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/prepare_guiding.h"
#include "edge/devices/sim/simulated_night.h"
#include "tool/simulate.h"

namespace nordstjerna {

// The night of the request, on a clock that jumps; stars are measured on pixels only where that is wished.
// Fails before anything is done when the output exists already.
struct SimulatedSetup {
    std::unique_ptr<SimulatedNight> night;
    Devices devices;
    SettingsBook book; // of a new rig, with the wishes of the request

    const Rig& rig() const { return night->scenario().rig; }
};
Expected<SimulatedSetup> openSimulated(const SimulateRequest& request);

// Ready to guide, or to record a free run, as the mount stands now.
Expected<GuidingSetup> guidingSetup(const SimulatedSetup& setUp, const Calibration& calibration,
                                    bool corrections = true);

// Rates, measured where the mount stands.
Expected<Calibration> calibrate(Devices& devices, CalibrationRun& measurement);

} // namespace nordstjerna
