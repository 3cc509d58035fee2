// Settings that were proposed and taken over are watched: what they really leave, beside what the former ones
// would have left in the same minutes. The run says what the mount and the air did meanwhile; the former loop
// is replayed on it, and how well a replay tells of this mount is seen in the minutes before the change.
#pragma once

#include "core/motion/loop_replay.h"

namespace nordstjerna {

enum class ProposalVerdict {
    open, // too little to tell
    better,
    alike,
    worse // beyond chance: to be taken back
};

struct WatchedProposal {
    ProposalVerdict verdict = ProposalVerdict::open;
    double minutes = 0.0;     // since it was taken over
    Measured achieved_arcsec; // RMS, total
    Measured former_arcsec;   // that the former settings would have left meanwhile
    Measured more;            // ln of the two: positive where the proposal leaves more
};

// run: with the rows of before and after. since_s: of the run. The exposure must not have been changed. Fails
// with a run that cannot be replayed.
Expected<WatchedProposal> watchProposal(const Run& run, double since_s, const ControllerSettings& former);

// The same where the exposure was changed, too: frames as they would have been with the former one are made
// from what was recorded since, and both are judged by the mount's own motion, as frames of other lengths
// see another air. achieved and former are mount parts then.
Expected<WatchedProposal> watchOtherExposure(const Run& run, double since_s, const ControllerSettings& former,
                                             double formerExposure_s, double exposure_s);

} // namespace nordstjerna
