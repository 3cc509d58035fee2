// What a test of gain or exposure found at one setting, and which setting follows from all of them.
#pragma once

#include "core/base/text.h"
#include "core/image/camera_gain.h"
#include "core/image/photon_transfer.h"
#include "core/image/star_jitter.h"

namespace nordstjerna {

struct NoiseAt {
    double setting = 0.0;    // gain in the camera's numbers, or exposure in s
    double exposure_s = 0.0; // of its frames
    int frames = 0;
    std::optional<PhotonTransfer> camera; // tests of the gain
    double saturation_e = 0.0;            // above the sky's darkness; 0: not known
    std::optional<StarJitter> jitter;
    // Of a minute of frames one after the other, px: what is left of the noise when a loop has seen them all.
    Measured minute_px;
};

struct NoiseAdvice {
    size_t best = 0;    // of the settings
    bool clear = false; // better than the present one beyond chance
    Measured ratio;     // noise there over that of the present setting
    Text why;
};

// Gain: the least jitter; of those that cannot be told apart (2σ, or 5 %) the present one, unless stars are
// too bright there; else the lowest, which leaves most room below saturation. present: index of the setting
// in use; absent: none of them. Absent with fewer than two settings measured.
std::optional<NoiseAdvice> adviseGain(const std::vector<NoiseAt>& at, std::optional<size_t> present);

// Exposure: the least noise of a minute of frames; of those within 1σ, or 10 %, the shortest, with which a
// loop follows the mount soonest.
std::optional<NoiseAdvice> adviseExposure(const std::vector<NoiseAt>& at, std::optional<size_t> present);

} // namespace nordstjerna
