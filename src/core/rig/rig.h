// The equipment as its owner describes it.
#pragma once

#include <string>
#include <vector>

#include "core/base/problem.h"
#include "core/sky/horizon.h"
#include "core/sky/site.h"

namespace nordstjerna {

struct CameraSpec {
    double pixel_um = 0.0;
    int width = 0; // unbinned pixels
    int height = 0;
    int bin = 1;
    int bits = 16;
    double gain_e_adu = 1.0;
    double readNoise_e = 3.0;
    double fullWell_e = 50000.0;

    int binnedWidth() const { return width / bin; }
    int binnedHeight() const { return height / bin; }
    double
    saturation_adu() const; // where a pixel stops counting: full well or the converter, whichever is first
};

struct Optics {
    double focal_mm = 0.0; // native, without reducer
    double aperture_mm = 0.0;
    double reducer = 1.0;

    double effectiveFocal_mm() const { return focal_mm * reducer; }
    double focalRatio() const { return effectiveFocal_mm() / aperture_mm; }
};

struct MountSpec {
    double guideRateRa = 0.5; // fractions of the sidereal rate
    double guideRateDec = 0.5;
    double wormPeriod_s = 0.0; // 0: not known
    // Turns of each further shaft of the RA gears (motor, belt wheel …) for one turn of the worm.
    std::vector<double> shaftTurns;
    bool encoders = false;
    double slewRate_deg_s = 4.0;
    Angle meridianLimitEast = Angle::fromHours(0.5); // how far past the meridian each side may track
    Angle meridianLimitWest = Angle::fromHours(0.5);
};

struct GuideDefaults {
    double exposure_s = 2.0;
    double pulseLimit_ms = 1500.0;
};

struct Rig {
    std::string id; // survives renaming; what was measured with a rig belongs to it
    std::string name;
    CameraSpec imagingCamera;
    Optics imagingOptics;
    CameraSpec guideCamera;
    Optics guideOptics; // of the separate guide scope; unused when offAxis
    bool offAxis = false;
    MountSpec mount;
    GuideDefaults guiding;
    Site site;
    std::string siteName;
    HorizonProfile horizon;

    const Optics& guidingOptics() const { return offAxis ? imagingOptics : guideOptics; }
};

// The first thing that makes the rig physically impossible (zero focal length, negative pixel …), if any.
Expected<void> validateRig(const Rig& rig);

} // namespace nordstjerna
