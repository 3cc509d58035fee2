// Figures that follow from the rig: pixel scales, fields, ratio, dither arithmetic, pulse steps.
#pragma once

#include "core/rig/rig.h"

namespace nordstjerna {

inline constexpr double siderealRate_arcsec_s = 15.041067;

// Scale of one binned pixel: 206.264806 · pixel · bin / focal length.
double scaleArcsecPx(double pixel_um, double focal_mm, int bin = 1);
// Focal length that gives a measured scale.
double focalFromScale(double pixel_um, double scale_arcsec_px, int bin = 1);

struct Scales {
    double guide_arcsec_px = 0.0;
    double image_arcsec_px = 0.0;
    double ratio() const { return guide_arcsec_px / image_arcsec_px; } // imaging pixels per guide pixel
};

Scales scalesOf(const Rig& rig);

struct Field {
    Angle width;
    Angle height;
};

Field imagingField(const Rig& rig);
Field guideField(const Rig& rig);

// A dither of `imagingPx` imaging pixels, as the guide side has to be told, and back.
double ditherGuidePx(const Scales& scales, double imagingPx);
double ditherImagingPx(const Scales& scales, double guidePx);

// Pulse length that moves a star at declination `dec` by travel_px / steps guide pixels in RA, or in
// Dec when dec is given as 0.
double suggestedPulseStep_ms(double scale_arcsec_px, double guideRate, Angle dec, double travel_px = 25.0,
                             int steps = 12);

// What the guide camera lets the place of the sky scatter, in one coordinate: a tenth of a pixel of one star,
// and the mean of the half dozen that are usually followed at once.
double centroidFloor_arcsec(double guide_arcsec_px);

} // namespace nordstjerna
