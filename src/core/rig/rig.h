// The equipment as its owner describes it.
#pragma once

#include <optional>
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
    double gainSetting = -1.0; // the camera's own number, for which gain and noise are; −1: left as it is

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

// A motor that moves a camera along the optical axis.
struct FocuserSpec {
    double step_um = 0.0; // travel of the camera for one step; 0: not known
    // Steps lost when it turns round, as measured, and their standard deviation; negative: not measured.
    double backlash_steps = -1.0;
    double backlashSigma_steps = 0.0;
};

struct MountSpec {
    std::string id, name;     // see rig_parts.h
    double guideRateRa = 0.5; // fractions of the sidereal rate
    double guideRateDec = 0.5;
    double wormPeriod_s = 0.0; // 0: not known
    // Turns of each further shaft of the RA gears (motor, belt wheel …) for one turn of the worm.
    std::vector<double> shaftTurns;
    // An encoder on the axis itself measures the backlash and takes it out; such an axis is guided gently.
    bool encoderRa = false;
    bool encoderDec = false;
    bool decMotor = true; // false: RA alone is driven; nothing asks for Dec
    double slewRate_deg_s = 4.0;
    Angle meridianLimitEast = Angle::fromHours(0.5); // how far past the meridian each side may track
    Angle meridianLimitWest = Angle::fromHours(0.5);
    Angle lowestAltitude = Angle::fromDeg(5.0); // tracking stops there, whatever the horizon
};

struct GuideDefaults {
    double exposure_s = 2.0;
    double pulseLimit_ms = 1500.0;
};

// Where the guide camera looks, seen from the imaging camera: both cameras keep this wherever the telescope
// points, but for flexure.
struct GuideOffset {
    double right_arcmin = 0.0; // of the imaging frame's centre, along its rows
    double up_arcmin = 0.0;    // along its columns
    double turn_deg = 0.0;     // of the guide frame's +y against the imaging frame's, from +y towards −x
};

struct Rig {
    // Of the mount with these optics (nameWhole); what was measured with both belongs to it.
    std::string id;
    std::string name;
    std::string opticsId, opticsName;
    CameraSpec imagingCamera;
    Optics imagingOptics;
    CameraSpec guideCamera;
    Optics guideOptics; // of the separate guide scope; unused when offAxis
    bool offAxis = false;
    bool solveWithImaging =
        false; // the pole and the evening's look use the imaging camera, whose field solves better
    FocuserSpec imagingFocuser; // of use where a focuser is connected
    FocuserSpec guideFocuser;
    // Names of the filters before the imaging camera, in the order of the wheel's slots; an empty name is a
    // slot that is not used. Without a wheel: those that are put in by hand.
    std::vector<std::string> filters;
    std::optional<GuideOffset> guideOffset; // as last measured
    MountSpec mount;
    GuideDefaults guiding;
    Site site;
    std::string siteId, siteName;
    std::string timeZone; // of the site's clocks, as "Europe/Stockholm"; empty: the computer's
    HorizonProfile horizon;

    const Optics& guidingOptics() const { return offAxis ? imagingOptics : guideOptics; }
};

// The first thing that makes the rig physically impossible (zero focal length, negative pixel …), if any.
Expected<void> validateRig(const Rig& rig);

} // namespace nordstjerna
