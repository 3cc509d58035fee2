// Flexure that was measured is taken off: the aim of the guide loop goes the other way at the same rate. The
// frames that follow prove it, and where they tell the contrary it is taken back.
#pragma once

#include "core/series/creep.h"

namespace nordstjerna {

// What came of it, for the person.
struct FlexureFollowed {
    int afterFrame = 0;        // frames that had been taken when the aim began to move
    Creep before;              // as it was then
    SkyError rate_arcsec_min;  // of the aim, at present
    std::optional<Creep> left; // of the frames since; absent while there are too few
    bool takenBack = false;    // it made things worse
};

class FlexureFollower {
public:
    // After each frame, and when the person wants it: what is known is used at once.
    void look(const std::vector<SeriesFrame>& frames, bool wanted);
    // Over the flip the telescope bends another way: so many frames were taken before.
    void forget(size_t frames);
    // How the aim is to move against it.
    SkyError rate_arcsec_min() const;
    // Absent while nothing was certain enough.
    const std::optional<FlexureFollowed>& told() const { return told_; }

private:
    std::optional<FlexureFollowed> told_;
    size_t from_ = 0;
};

} // namespace nordstjerna
