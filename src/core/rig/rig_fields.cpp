#include "core/rig/rig_fields.h"

#include <cmath>

namespace nordstjerna {

namespace {

// Angles pass through radians; this keeps 58.35 from becoming 58.349999999999994.
double tidy(double v) {
    return std::round(v * 1e9) / 1e9;
}

void degrees(RigVisitor& v, const FieldSpec& field, Angle& angle) {
    const double before = tidy(angle.deg());
    double now = before;
    v.number(field, now);
    if (now != before)
        angle = Angle::fromDeg(now);
}

void hours(RigVisitor& v, const FieldSpec& field, Angle& angle) {
    const double before = tidy(angle.hours());
    double now = before;
    v.number(field, now);
    if (now != before)
        angle = Angle::fromHours(now);
}

void describeTelescope(Optics& o, RigVisitor& v) {
    v.number({.key = "focal_mm",
              .name = "focal length",
              .unit = "mm",
              .decimals = 1,
              .low = 10,
              .high = 50000,
              .label = "Focal",
              .help = "without reducer",
              .needed = true,
              .compared = 0},
             o.focal_mm);
    v.number({.key = "reducer",
              .name = "reducer",
              .unit = "×",
              .decimals = 3,
              .low = 0.2,
              .high = 5,
              .label = "+",
              .help = "factor of a reducer or extender, 1 without",
              .compared = 2},
             o.reducer);
    v.number({.key = "aperture_mm",
              .name = "aperture",
              .unit = "mm",
              .decimals = 1,
              .low = 5,
              .high = 10000,
              .label = "Aperture",
              .needed = true},
             o.aperture_mm);
}

void describeCamera(CameraSpec& c, RigVisitor& v) {
    v.number({.key = "pixel_um",
              .name = "pixel size",
              .unit = "µm",
              .decimals = 3,
              .low = 0.5,
              .high = 50,
              .label = "Pixel",
              .help = "unbinned",
              .needed = true,
              .compared = 2},
             c.pixel_um);
    v.whole(
        {.key = "bin", .name = "binning", .unit = "× bin", .low = 1, .high = 8, .label = "+", .compared = 0},
        c.bin);
    v.whole({.key = "width",
             .name = "width",
             .unit = "px",
             .low = 16,
             .high = 30000,
             .label = "Sensor",
             .help = "unbinned pixels",
             .needed = true},
            c.width);
    v.whole({.key = "height",
             .name = "height",
             .unit = "px",
             .low = 16,
             .high = 30000,
             .label = "+",
             .help = "unbinned pixels",
             .needed = true},
            c.height);
    v.number({.key = "gain_e_adu",
              .name = "gain",
              .unit = "e/adu",
              .decimals = 3,
              .low = 0.001,
              .high = 100,
              .label = "Gain",
              .help = "electrons for one count"},
             c.gain_e_adu);
    v.whole({.key = "bits",
             .name = "converter",
             .unit = "bit",
             .low = 1,
             .high = 32,
             .label = "+",
             .help = "bits of the converter"},
            c.bits);
    v.number({.key = "read_noise_e",
              .name = "read noise",
              .unit = "e",
              .decimals = 2,
              .low = 0,
              .high = 1000,
              .label = "Noise, well",
              .help = "read noise, electrons"},
             c.readNoise_e);
    v.number({.key = "full_well_e",
              .name = "full well",
              .unit = "e",
              .low = 1,
              .high = 1e7,
              .label = "+",
              .help = "electrons that a pixel holds"},
             c.fullWell_e);
}

void describeFocuser(FocuserSpec& f, RigVisitor& v) {
    v.number({.key = "step_um",
              .name = "step",
              .unit = "µm",
              .decimals = 3,
              .low = 0,
              .high = 1000,
              .help = "travel of the camera for one step",
              .zeroIsUnknown = true},
             f.step_um);
    v.number({.key = "play_steps",
              .name = "backlash",
              .unit = "steps",
              .low = -1,
              .high = 1e6,
              .help = "lost at each reversal, as measured; −1: not measured"},
             f.play_steps);
    v.number({.key = "play_sigma_steps",
              .name = "± of the backlash",
              .unit = "steps",
              .low = 0,
              .high = 1e6,
              .help = "standard deviation"},
             f.playSigma_steps);
}

void describeSide(const PartSpec& side, const PartSpec& optics, const PartSpec& camera,
                  const PartSpec& focuser, Optics& o, CameraSpec& c, FocuserSpec& f, RigVisitor& v) {
    if (!v.enter(side, true))
        return;
    if (v.enter(optics, true)) {
        describeTelescope(o, v);
        v.leave();
    }
    if (v.enter(camera, true)) {
        describeCamera(c, v);
        v.leave();
    }
    if (v.enter(focuser, true)) {
        describeFocuser(f, v);
        v.leave();
    }
    v.leave();
}

void describeOffset(std::optional<GuideOffset>& to, RigVisitor& v) {
    if (!v.enter({"guide_offset", "guide camera's direction", true}, to.has_value()))
        return;
    GuideOffset offset = to.value_or(GuideOffset());
    v.number({.key = "right_arcmin",
              .name = "to the right",
              .unit = "′",
              .decimals = 2,
              .low = -5400,
              .high = 5400,
              .help = "of the centre of the imaging frame, along its rows",
              .needed = true},
             offset.right_arcmin);
    v.number({.key = "up_arcmin",
              .name = "up",
              .unit = "′",
              .decimals = 2,
              .low = -5400,
              .high = 5400,
              .help = "along the columns of the imaging frame",
              .needed = true},
             offset.up_arcmin);
    v.number({.key = "turn_deg",
              .name = "turned",
              .unit = "°",
              .decimals = 2,
              .low = -360,
              .high = 360,
              .help = "from +y of the imaging frame towards −x",
              .needed = true},
             offset.turn_deg);
    v.leave();
    to = offset;
}

void describeIdentity(std::string& id, std::string& name, const char* help, RigVisitor& v) {
    v.text({.key = "id", .name = "identity", .help = "survives renaming"}, id);
    v.text({.key = "name", .name = "name", .label = "Name", .help = help}, name);
}

void describeMountSpec(MountSpec& m, RigVisitor& v) {
    if (!v.enter({"mount", "mount"}, true))
        return;
    describeIdentity(m.id, m.name, "of the mount, as you call it", v);
    v.number({.key = "guide_rate_ra",
              .name = "guide rate in RA",
              .unit = "×",
              .decimals = 3,
              .low = 0.05,
              .high = 2,
              .label = "Rate RA, Dec",
              .help = "of the sidereal rate",
              .compared = 2},
             m.guideRateRa);
    v.number({.key = "guide_rate_dec",
              .name = "guide rate in Dec",
              .unit = "×",
              .decimals = 3,
              .low = 0.05,
              .high = 2,
              .label = "+",
              .help = "of the sidereal rate",
              .compared = 2},
             m.guideRateDec);
    v.number({.key = "worm_period_s",
              .name = "worm period",
              .unit = "s",
              .decimals = 1,
              .low = 0,
              .high = 3600,
              .label = "Worm, shafts",
              .help = "of the RA worm: 86 164 s ÷ teeth of the worm wheel",
              .compared = 1,
              .zeroIsUnknown = true},
             m.wormPeriod_s);
    v.numbers({.key = "shaft_turns",
               .name = "gear shafts",
               .decimals = 2,
               .low = 0.05,
               .high = 10000,
               .label = "+",
               .help = "turns of each further RA shaft (motor, belt wheel) for one turn of the worm"},
              m.shaftTurns);
    v.number({.key = "slew_rate_deg_s",
              .name = "slew rate",
              .unit = "°/s",
              .decimals = 1,
              .low = 0.1,
              .high = 30,
              .label = "Slew rate"},
             m.slewRate_deg_s);
    hours(v,
          {.key = "past_meridian_east_h",
           .name = "limit past the meridian, looking east",
           .unit = "h",
           .decimals = 2,
           .low = 0,
           .high = 6,
           .label = "Past meridian",
           .help = "how far past the meridian the mount follows a target that rose in the east"},
          m.meridianLimitEast);
    hours(v,
          {.key = "past_meridian_west_h",
           .name = "limit before the meridian, looking west",
           .unit = "h",
           .decimals = 2,
           .low = 0,
           .high = 6,
           .label = "+",
           .help = "how far before the meridian it reaches once it has flipped"},
          m.meridianLimitWest);
    degrees(v,
            {.key = "lowest_altitude_deg",
             .name = "lowest altitude",
             .unit = "°",
             .decimals = 0,
             .low = 0,
             .high = 60,
             .label = "Lowest",
             .help = "tracking stops there, at the latest; the local horizon counts too"},
            m.lowestAltitude);
    v.flag({.key = "encoder_ra",
            .name = "encoder on the RA axis",
            .label = "encoder on the RA axis",
            .help = "on the axis itself, not on the motor",
            .compared = 0},
           m.encoderRa);
    v.flag({.key = "encoder_dec",
            .name = "encoder on the Dec axis",
            .label = "encoder on the Dec axis",
            .help = "on the axis itself, not on the motor",
            .compared = 0},
           m.encoderDec);
    v.flag({.key = "dec_motor",
            .name = "motor on the Dec axis",
            .label = "motor on the Dec axis",
            .help = "without one only RA is calibrated and guided",
            .compared = 0},
           m.decMotor);
    v.leave();
}

void describeLoop(GuideDefaults& g, RigVisitor& v) {
    if (!v.enter({"loop", "guiding"}, true))
        return;
    v.number({.key = "exposure_s",
              .name = "exposure",
              .unit = "s",
              .decimals = 2,
              .low = 0.05,
              .high = 60,
              .label = "Exposure",
              .help = "of the guide camera"},
             g.exposure_s);
    v.number({.key = "pulse_limit_ms",
              .name = "pulse limit",
              .unit = "ms",
              .low = 20,
              .high = 60000,
              .label = "Pulse limit",
              .help = "longest correction"},
             g.pulseLimit_ms);
    v.leave();
}

} // namespace

std::string PartVisitor::pathOf(const FieldSpec& field) const {
    std::string path;
    for (const PartSpec& part : parts_)
        path += std::string(part.key) + ".";
    return path + field.key;
}

void describeMount(Rig& rig, RigVisitor& v) {
    describeMountSpec(rig.mount, v);
}

void describeOptics(Rig& rig, RigVisitor& v) {
    if (v.enter({"optics", "optics"}, true)) {
        describeIdentity(rig.opticsId, rig.opticsName,
                         "of the telescopes with their cameras, as you call them", v);
        v.leave();
    }
    v.flag({.key = "off_axis",
            .name = "off-axis guider",
            .label = "off-axis: imaging optics",
            .help = "guides through the imaging telescope",
            .compared = 0},
           rig.offAxis);
    v.flag({.key = "solve_with_imaging",
            .name = "camera for solving",
            .label = "pole by this camera",
            .help = "the imaging camera, not the guide camera, shows where the telescope points",
            .compared = 0},
           rig.solveWithImaging);
    describeSide({"imaging", "imaging"}, {"optics", "imaging telescope"}, {"camera", "imaging camera"},
                 {"focuser", "imaging focuser"}, rig.imagingOptics, rig.imagingCamera, rig.imagingFocuser, v);
    // With an off-axis guider the own guide scope is kept for switching back, and counts for nothing.
    describeSide({"guiding", "guiding"}, {"optics", "guide scope", rig.offAxis}, {"camera", "guide camera"},
                 {"focuser", "guide focuser"}, rig.guideOptics, rig.guideCamera, rig.guideFocuser, v);
    describeOffset(rig.guideOffset, v);
}

void describeSite(Rig& rig, RigVisitor& v) {
    if (!v.enter({"site", "site"}, true))
        return;
    describeIdentity(rig.siteId, rig.siteName, "of the site", v);
    v.text({.key = "time_zone",
            .name = "time zone",
            .label = "Time zone",
            .help = "zone of the clocks at the site, as Europe/Stockholm; empty: this computer's"},
           rig.timeZone);
    degrees(v,
            {.key = "latitude",
             .name = "latitude",
             .unit = "°",
             .decimals = 5,
             .low = -90,
             .high = 90,
             .label = "Place",
             .help = "north positive",
             .needed = true,
             .compared = 1},
            rig.site.latitude);
    degrees(v,
            {.key = "longitude",
             .name = "longitude",
             .unit = "°",
             .decimals = 5,
             .low = -180,
             .high = 360,
             .label = "+",
             .help = "east positive",
             .needed = true,
             .compared = 1},
            rig.site.longitude);
    v.number({.key = "height_m", .name = "height", .unit = "m", .low = -500, .high = 9000, .label = "Height"},
             rig.site.height_m);
    v.number({.key = "pressure_hpa",
              .name = "air pressure",
              .unit = "hPa",
              .low = 0,
              .high = 1100,
              .label = "Air"},
             rig.site.pressure_hpa);
    v.number({.key = "temperature_c",
              .name = "temperature",
              .unit = "°C",
              .decimals = 1,
              .low = -60,
              .high = 60,
              .label = "+"},
             rig.site.temperature_c);
    v.number({.key = "humidity", .name = "humidity", .decimals = 2, .low = 0, .high = 1, .help = "0 to 1"},
             rig.site.humidity);
    v.horizon({.key = "horizon",
               .name = "horizon",
               .unit = "°",
               .low = -10,
               .high = 90,
               .help = "[azimuth, altitude] pairs"},
              rig.horizon);
    v.leave();
}

void describe(Rig& rig, RigVisitor& v) {
    v.text({.key = "id",
            .name = "identity",
            .help = "of the mount with these optics; what was measured belongs to it"},
           rig.id);
    v.text({.key = "name", .name = "name", .needed = true}, rig.name);
    describeOptics(rig, v);
    describeMount(rig, v);
    describeLoop(rig.guiding, v);
    describeSite(rig, v);
}

} // namespace nordstjerna
