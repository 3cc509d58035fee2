// Dark frames: their mean is taken off every frame of the same kind, and pixels that misbehave are mended
// from their neighbours.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/problem.h"
#include "core/image/frame.h"

namespace nordstjerna {

// What must be the same for a dark to fit.
struct DarkKind {
    double exposure_s = 0.0;
    double gain_e_adu = 1.0;
    int bin = 1;
    int width = 0; // binned pixels of the full frame
    int height = 0;
    std::optional<double> temperature_c;
    std::optional<double> gainSetting; // where both tell it, it decides; else gain_e_adu does

    static DarkKind of(const Frame& frame);
};

// Same camera settings, exposure to 5 %, temperature (where both are known) to 3 °C.
bool darkFits(const DarkKind& dark, const DarkKind& frame);
// The first setting in which they differ, in words; empty when it fits.
Text whyDarkDoesNotFit(const DarkKind& dark, const DarkKind& frame);

struct MasterDark {
    DarkKind kind;
    int frames = 0;
    Frame mean;                          // counts
    double level = 0.0;                  // of its ordinary pixels
    double scatter = 0.0;                // of the same: what it puts into every pixel that it cleans
    std::vector<std::uint8_t> badPixels; // 1: mend; one a pixel
    int badCount = 0;
};

// By how much a dark of another exposure must be scaled to serve: the dark signal of a sensor grows with the
// time. Absent where anything else differs, or the exposures by more than a factor of four: beyond, what does
// not grow with the time shows.
std::optional<double> darkScale(const DarkKind& dark, const DarkKind& frame);

// Level and scatter of the ordinary pixels, from a sample of all.
struct OrdinaryPixels {
    double level = 0.0; // what stays when the dark is taken off
    double sigma = 0.0;
};
OrdinaryPixels ordinaryPixels(const std::vector<float>& values);

// Refuses a frame that is not dark: stars on it, or light that makes it brighter than darkness and uneven.
Expected<void> checkDark(const Frame& frame);

// From five frames or more of one kind: mean with the greatest value of each pixel left out (a cosmic ray),
// and a map of pixels whose dark signal stands out by more than 6σ of the frame, or that swing. Fails with
// fewer frames, other kinds among them, or one that is not dark.
Expected<MasterDark> makeMasterDark(const std::vector<Frame>& frames);

// Takes the dark off and mends bad pixels by the median of their sound neighbours. Windows know where they
// were cut. The mean level of the dark stays in, so that counts remain positive and saturation its meaning.
// scale: of its signal, for frames of another exposure.
void applyDark(Frame& frame, const MasterDark& dark, double scale = 1.0);

// Pixels marked in a map of the whole sensor (1: bad) take the median of their sound neighbours. Windows know
// where they were cut.
void mendPixels(Frame& frame, const std::vector<std::uint8_t>& bad, int sensorWidth, int sensorHeight);

// A colour camera's 2 × 2 pattern evened out: every pixel becomes the binomial mean of its 3 × 3
// neighbourhood, which holds the four colours in equal parts and moves no star.
void evenOutColour(Frame& frame);

} // namespace nordstjerna
