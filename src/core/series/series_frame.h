// A frame of a series as it is remembered, and what strikes about it beside its neighbours.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/image/frame_look.h"
#include "core/series/dither_pattern.h"
#include "core/series/guide_share.h"

namespace nordstjerna {

// What a frame is marked with instead of being condemned: look before throwing it away.
enum class Remark {
    none,
    track,     // an aeroplane or a satellite crossed it
    cloud,     // fewer stars, or more light
    bump,      // the guide star was thrown about
    unguided,  // without corrections, or the star was lost
    unsettled, // begun before the star had come to rest
    unsharp    // larger stars than the best ones
};
const char* remarkWord(Remark remark); // empty for none

struct SeriesFrame {
    int number = 0; // from 1
    Instant start;
    double exposure_s = 0.0;
    std::string side;   // of the meridian, as the mount says
    std::string filter; // before the camera; empty: none, or not known
    FrameLook look;
    GuideShare guide;
    DitherSpot spot;
    std::optional<SkyError> moved; // the stars since the frame before, the dither taken off; see creep.h
    bool settled = true;           // when it began
    Remark remark = Remark::none;
    std::string file; // where it was saved; empty: not yet, or not
};

// Of the frame beside those before it (of the same exposure, through the same filter).
Remark remarkOn(const SeriesFrame& frame, const std::vector<SeriesFrame>& before);

// The best FWHM so far has grown by this share: worth focusing anew. 0 while it has not, or too little is
// known. Frames through different filters are compared by what is usual through each.
double focusLoss(std::span<const SeriesFrame> frames);

} // namespace nordstjerna
