// What the rig's own figures tell.
#pragma once

#include "core/findings/finding.h"
#include "core/rig/rig.h"

namespace nordstjerna {

// The rig's guide rates against those that the mount tells to be set in it; what it does not tell is absent.
std::vector<Finding> guideRateFindings(const MountSpec& mount, std::optional<double> toldRa,
                                       std::optional<double> toldDec);

// The names of the filters in the rig against those that the wheel tells of its slots; absent or without
// names: it tells nothing.
std::vector<Finding> filterFindings(const Rig& rig, const std::optional<std::vector<std::string>>& told);

// The rig must be valid (validateRig).
std::vector<Finding> rigFindings(const Rig& rig);

// The same for bare scales, as the command line knows them.
std::vector<Finding> scaleFindings(double guide_arcsec_px, double image_arcsec_px);

} // namespace nordstjerna
