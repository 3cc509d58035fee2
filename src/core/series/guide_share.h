// What the guide loop did while a frame of the imaging camera was exposed.
#pragma once

#include <vector>

#include "core/motion/mount_part.h"

namespace nordstjerna {

// One look of the guide camera, ″ on the sky.
struct GuideGlance {
    double at_s = 0.0; // middle of its exposure, by a clock that nobody sets
    float dra_arcsec = 0.0F, ddec_arcsec = 0.0F;
    bool measured = false;
    bool aimMoved = false; // during it: it tells of the new aim
    bool steady = false;   // not settling, dithering or lost
};
// start_s: of the run, by that clock.
GuideGlance glanceOf(double start_s, const RunRow& row);

struct GuideShare {
    int looks = 0; // that showed the star
    int lost = 0;
    bool steady = false;                      // all the time, but for a lost frame
    double ra_arcsec = 0.0, dec_arcsec = 0.0; // RMS about the mean
    std::optional<Measured> mountPart_arcsec; // exposureMountPart()
    double peak_arcsec = 0.0;                 // the farthest look from the mean
    double total_arcsec() const;
};
// From and to by the clock of the glances. All but the mount part, which takes more than glances.
GuideShare guideShare(const std::vector<GuideGlance>& glances, double from_s, double to_s);

} // namespace nordstjerna
