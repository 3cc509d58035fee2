// The one way from what is known to a guiding set-up, for window, series and command line alike.
#pragma once

#include "core/base/text.h"
#include "core/guide/settings_book.h"
#include "core/procedure/guiding.h"

namespace nordstjerna {

struct GuidingInputs {
    Rig rig;
    std::optional<Calibration> calibration; // the calibration in use
    bool calibrationUnseen = false;  // it is of another evening, and no frame of this one was held against it
    Text calibrationAgedBy;          // why it no longer describes the rig; empty: it does
    std::optional<bool> decReverses; // across the pier, once it was seen
    MountState mount;                // now
    const SettingsBook* settings = nullptr;
    LoopPriors taught;              // by earlier runs of this mount
    std::vector<Pixel> wantedStars; // chosen by hand; empty: by merit
    bool corrections = true;        // false: a free run
};

// The calibration as it holds on the side of the pier where the mount is.
std::optional<Calibration> calibrationOnSide(const std::optional<Calibration>& calibration,
                                             const std::string& side, std::optional<bool> decReverses);

// Fails without a calibration that holds, and where the mount does not track.
Expected<GuidingSetup> prepareGuiding(const GuidingInputs& inputs);

} // namespace nordstjerna
