// What a camera makes of light, from pairs of frames of the night sky: the noise of light grows with its
// square root, so noise and level together tell how many electrons a count is, and what noise is left
// without light (Janesick, Photon Transfer, SPIE 2007). Stars, fixed patterns and hot pixels drop out.
#pragma once

#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/image/frame.h"

namespace nordstjerna {

// Two frames taken one after the other alike.
struct LightPair {
    double exposure_s = 0.0;
    Measured level_adu;     // of the sky
    Measured variance_adu2; // of one frame's pixels about it
};

// Fails on frames that are not alike, are too small, or whose sky stands at the top of the converter.
Expected<LightPair> lightPair(const Frame& a, const Frame& b);

struct PhotonTransfer {
    Measured gain_e_adu;
    Measured readNoise_e;    // the converter's steps in it
    double offset_adu = 0.0; // of no light
};

// From pairs of at least two exposures at one setting. Fails where the sky is too dark, or the exposures too
// short, for the noise of its light to be told from that of the camera (gain worse than 15 %).
Expected<PhotonTransfer> photonTransfer(const std::vector<LightPair>& pairs);

} // namespace nordstjerna
