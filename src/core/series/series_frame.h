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
inline constexpr int remarks = static_cast<int>(Remark::unsharp) + 1;
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
    // How far the aim had gone by the middle of the exposure, dithers apart; and what of it was against
    // flexure.
    SkyError aimed, bent;
    SkyError streak; // that a moving target makes of each star, ″
    // The stars since the frame before, taken off what the aim went; see creep.h.
    std::optional<SkyError> moved;
    bool filler = false; // shorter than the others: the next one would not have fitted before the flip
    bool settled = true; // when it began
    Remark remark = Remark::none;
    std::string file; // where it was saved; empty: not yet, or not
};

// Those that count as frames of the plan.
int countedFrames(std::span<const SeriesFrame> frames);

// Of the frame beside those before it (of the same exposure, through the same filter).
Remark remarkOn(const SeriesFrame& frame, const std::vector<SeriesFrame>& before);

// The best FWHM so far has grown by this share: worth focusing anew. 0 while it has not, or too little is
// known. Frames through different filters are compared by what is usual through each.
double focusLoss(std::span<const SeriesFrame> frames);

} // namespace nordstjerna
