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
              .name = Text::mark("focal length"),
              .unit = "mm",
              .decimals = 1,
              .low = 10,
              .high = 50000,
              .label = Text::mark("Focal"),
              .help = Text::mark("without reducer"),
              .needed = true,
              .compared = 0},
             o.focal_mm);
    v.number({.key = "reducer",
              .name = Text::mark("reducer"),
              .unit = "×",
              .decimals = 3,
              .low = 0.2,
              .high = 5,
              .label = "+",
              .help = Text::mark("factor of a reducer or extender, 1 without"),
              .compared = 2},
             o.reducer);
    v.number({.key = "aperture_mm",
              .name = Text::mark("aperture"),
              .unit = "mm",
              .decimals = 1,
              .low = 5,
              .high = 10000,
              .label = Text::mark("Aperture"),
              .needed = true},
             o.aperture_mm);
}

void describeCamera(CameraSpec& c, RigVisitor& v) {
    v.number({.key = "pixel_um",
              .name = Text::mark("pixel size"),
              .unit = "µm",
              .decimals = 3,
              .low = 0.5,
              .high = 50,
              .label = Text::mark("Pixel"),
              .help = Text::mark("unbinned"),
              .needed = true,
              .compared = 2},
             c.pixel_um);
    v.whole({.key = "bin",
             .name = Text::mark("binning"),
             .unit = Text::mark("× bin"),
             .low = 1,
             .high = 8,
             .label = "+",
             .compared = 0},
            c.bin);
    v.whole({.key = "width",
             .name = Text::mark("width"),
             .unit = "px",
             .low = 16,
             .high = 30000,
             .label = Text::mark("Sensor"),
             .help = Text::mark("unbinned pixels"),
             .needed = true},
            c.width);
    v.whole({.key = "height",
             .name = Text::mark("height"),
             .unit = "px",
             .low = 16,
             .high = 30000,
             .label = "+",
             .help = Text::mark("unbinned pixels"),
             .needed = true},
            c.height);
    v.number({.key = "gain_e_adu",
              .name = Text::mark("gain"),
              .unit = "e/adu",
              .decimals = 3,
              .low = 0.001,
              .high = 100,
              .label = Text::mark("Gain"),
              .help = Text::mark("electrons for one count")},
             c.gain_e_adu);
    v.whole({.key = "bits",
             .name = Text::mark("converter"),
             .unit = Text::mark("bit"),
             .low = 1,
             .high = 32,
             .label = "+",
             .help = Text::mark("bits of the converter")},
            c.bits);
    v.number({.key = "read_noise_e",
              .name = Text::mark("read noise"),
              .unit = "e",
              .decimals = 2,
              .low = 0,
              .high = 1000,
              .label = Text::mark("Noise, well"),
              .help = Text::mark("read noise, electrons")},
             c.readNoise_e);
    v.number({.key = "full_well_e",
              .name = Text::mark("full well"),
              .unit = "e",
              .low = 1,
              .high = 1e7,
              .label = "+",
              .help = Text::mark("electrons that a pixel holds")},
             c.fullWell_e);
}

// Of the camera whose gain is set, the guide camera.
void describeGainSetting(CameraSpec& c, RigVisitor& v) {
    v.number({.key = "gain_setting",
              .name = Text::mark("gain setting"),
              .low = -1,
              .high = 100000,
              .label = Text::mark("Gain set"),
              .help = Text::mark("the gain that the camera is set to, in its own numbers; −1: left as it is"),
              .lowestMeans = Text::mark("left as it is")},
             c.gainSetting);
}

void describeFocuser(FocuserSpec& f, RigVisitor& v) {
    v.number({.key = "step_um",
              .name = Text::mark("step"),
              .unit = "µm",
              .decimals = 3,
              .low = 0,
              .high = 1000,
              .help = Text::mark("travel of the camera for one step"),
              .zeroIsUnknown = true},
             f.step_um);
    v.number({.key = "play_steps",
              .name = Text::mark("backlash"),
              .unit = Text::mark("steps"),
              .low = -1,
              .high = 1e6,
              .help = Text::mark("lost at each reversal, as measured; −1: not measured")},
             f.backlash_steps);
    v.number({.key = "play_sigma_steps",
              .name = Text::mark("± of the backlash"),
              .unit = Text::mark("steps"),
              .low = 0,
              .high = 1e6,
              .help = Text::mark("standard deviation")},
             f.backlashSigma_steps);
}

void describeFilters(std::vector<std::string>& filters, RigVisitor& v) {
    v.names({.key = "filters",
             .name = Text::mark("filters"),
             .label = Text::mark("Filters"),
             .help = Text::mark("names in the order of the wheel's slots, or of those put in by hand")},
            filters);
}

void describeSide(const PartSpec& side, const PartSpec& optics, const PartSpec& camera,
                  const PartSpec& focuser, Optics& o, CameraSpec& c, FocuserSpec& f,
                  std::vector<std::string>* filters, RigVisitor& v) {
    if (!v.enter(side, true))
        return;
    if (v.enter(optics, true)) {
        describeTelescope(o, v);
        v.leave();
    }
    if (v.enter(camera, true)) {
        describeCamera(c, v);
        if (!filters)
            describeGainSetting(c, v);
        v.leave();
    }
    if (v.enter(focuser, true)) {
        describeFocuser(f, v);
        v.leave();
    }
    if (filters)
        describeFilters(*filters, v);
    v.leave();
}

void describeOffset(std::optional<GuideOffset>& to, RigVisitor& v) {
    if (!v.enter({"guide_offset", Text::mark("guide camera's direction"), true}, to.has_value()))
        return;
    GuideOffset offset = to.value_or(GuideOffset());
    v.number({.key = "right_arcmin",
              .name = Text::mark("to the right"),
              .unit = "′",
              .decimals = 2,
              .low = -5400,
              .high = 5400,
              .help = Text::mark("of the centre of the imaging frame, along its rows"),
              .needed = true},
             offset.right_arcmin);
    v.number({.key = "up_arcmin",
              .name = Text::mark("up"),
              .unit = "′",
              .decimals = 2,
              .low = -5400,
              .high = 5400,
              .help = Text::mark("along the columns of the imaging frame"),
              .needed = true},
             offset.up_arcmin);
    v.number({.key = "turn_deg",
              .name = Text::mark("turned"),
              .unit = "°",
              .decimals = 2,
              .low = -360,
              .high = 360,
              .help = Text::mark("from +y of the imaging frame towards −x"),
              .needed = true},
             offset.turn_deg);
    v.leave();
    to = offset;
}

void describeIdentity(std::string& id, std::string& name, const char* help, RigVisitor& v) {
    v.text({.key = "id", .name = Text::mark("identity"), .help = Text::mark("survives renaming")}, id);
    v.text({.key = "name", .name = Text::mark("name"), .label = Text::mark("Name"), .help = help}, name);
}

void describeMountSpec(MountSpec& m, RigVisitor& v) {
    if (!v.enter({"mount", Text::mark("mount")}, true))
        return;
    describeIdentity(m.id, m.name, Text::mark("of the mount, as you call it"), v);
    v.number({.key = "guide_rate_ra",
              .name = Text::mark("guide rate in RA"),
              .unit = "×",
              .decimals = 3,
              .low = 0.05,
              .high = 2,
              .label = Text::mark("Rate RA, Dec"),
              .help = Text::mark("of the sidereal rate"),
              .compared = 2},
             m.guideRateRa);
    v.number({.key = "guide_rate_dec",
              .name = Text::mark("guide rate in Dec"),
              .unit = "×",
              .decimals = 3,
              .low = 0.05,
              .high = 2,
              .label = "+",
              .help = Text::mark("of the sidereal rate"),
              .compared = 2},
             m.guideRateDec);
    v.number({.key = "worm_period_s",
              .name = Text::mark("worm period"),
              .unit = "s",
              .decimals = 1,
              .low = 0,
              .high = 3600,
              .label = Text::mark("Worm, shafts"),
              .help = Text::mark("of the RA worm: 86 164 s ÷ teeth of the worm wheel"),
              .compared = 1,
              .zeroIsUnknown = true},
             m.wormPeriod_s);
    v.numbers(
        {.key = "shaft_turns",
         .name = Text::mark("gear shafts"),
         .decimals = 2,
         .low = 0.05,
         .high = 10000,
         .label = "+",
         .help = Text::mark("turns of each further RA shaft (motor, belt wheel) for one turn of the worm")},
        m.shaftTurns);
    v.number({.key = "slew_rate_deg_s",
              .name = Text::mark("slew rate"),
              .unit = "°/s",
              .decimals = 1,
              .low = 0.1,
              .high = 30,
              .label = Text::mark("Slew rate")},
             m.slewRate_deg_s);
    hours(v,
          {.key = "past_meridian_east_h",
           .name = Text::mark("limit past the meridian, looking east"),
           .unit = "h",
           .decimals = 2,
           .low = 0,
           .high = 6,
           .label = Text::mark("Past meridian"),
           .help = Text::mark("how far past the meridian the mount follows a target that rose in the east")},
          m.meridianLimitEast);
    hours(v,
          {.key = "past_meridian_west_h",
           .name = Text::mark("limit before the meridian, looking west"),
           .unit = "h",
           .decimals = 2,
           .low = 0,
           .high = 6,
           .label = "+",
           .help = Text::mark("how far before the meridian it reaches once it has flipped")},
          m.meridianLimitWest);
    degrees(v,
            {.key = "lowest_altitude_deg",
             .name = Text::mark("lowest altitude"),
             .unit = "°",
             .decimals = 0,
             .low = 0,
             .high = 60,
             .label = Text::mark("Lowest"),
             .help = Text::mark("tracking stops there, at the latest; the local horizon counts too")},
            m.lowestAltitude);
    v.flag({.key = "encoder_ra",
            .name = Text::mark("encoder on the RA axis"),
            .label = Text::mark("encoder on the RA axis"),
            .help = Text::mark("on the axis itself, not on the motor"),
            .compared = 0},
           m.encoderRa);
    v.flag({.key = "encoder_dec",
            .name = Text::mark("encoder on the Dec axis"),
            .label = Text::mark("encoder on the Dec axis"),
            .help = Text::mark("on the axis itself, not on the motor"),
            .compared = 0},
           m.encoderDec);
    v.flag({.key = "dec_motor",
            .name = Text::mark("motor on the Dec axis"),
            .label = Text::mark("motor on the Dec axis"),
            .help = Text::mark("without one only RA is calibrated and guided"),
            .compared = 0},
           m.decMotor);
    v.leave();
}

void describeLoop(GuideDefaults& g, RigVisitor& v) {
    if (!v.enter({"loop", Text::mark("guiding")}, true))
        return;
    v.number({.key = "exposure_s",
              .name = Text::mark("exposure"),
              .unit = "s",
              .decimals = 2,
              .low = 0.05,
              .high = 60,
              .label = Text::mark("Exposure"),
              .help = Text::mark("of the guide camera")},
             g.exposure_s);
    v.number({.key = "pulse_limit_ms",
              .name = Text::mark("pulse limit"),
              .unit = "ms",
              .low = 20,
              .high = 60000,
              .label = Text::mark("Pulse limit"),
              .help = Text::mark("longest correction")},
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
    if (v.enter({"optics", Text::mark("optics")}, true)) {
        describeIdentity(rig.opticsId, rig.opticsName,
                         Text::mark("of the telescopes with their cameras, as you call them"), v);
        v.leave();
    }
    v.flag({.key = "off_axis",
            .name = Text::mark("off-axis guider"),
            .label = Text::mark("off-axis: imaging optics"),
            .help = Text::mark("guides through the imaging telescope"),
            .compared = 0},
           rig.offAxis);
    v.flag({.key = "solve_with_imaging",
            .name = Text::mark("camera for solving"),
            .label = Text::mark("pole by this camera"),
            .help = Text::mark("the imaging camera, not the guide camera, shows where the telescope points"),
            .compared = 0},
           rig.solveWithImaging);
    describeSide({"imaging", Text::mark("imaging")}, {"optics", Text::mark("imaging telescope")},
                 {"camera", Text::mark("imaging camera")}, {"focuser", Text::mark("imaging focuser")},
                 rig.imagingOptics, rig.imagingCamera, rig.imagingFocuser, &rig.filters, v);
    // With an off-axis guider the own guide scope is kept for switching back, and counts for nothing.
    describeSide({"guiding", Text::mark("guiding")}, {"optics", Text::mark("guide scope"), rig.offAxis},
                 {"camera", Text::mark("guide camera")}, {"focuser", Text::mark("guide focuser")},
                 rig.guideOptics, rig.guideCamera, rig.guideFocuser, nullptr, v);
    describeOffset(rig.guideOffset, v);
}

void describeSite(Rig& rig, RigVisitor& v) {
    if (!v.enter({"site", Text::mark("site")}, true))
        return;
    describeIdentity(rig.siteId, rig.siteName, Text::mark("of the site"), v);
    v.text(
        {.key = "time_zone",
         .name = Text::mark("time zone"),
         .label = Text::mark("Time zone"),
         .help = Text::mark("zone of the clocks at the site, as Europe/Stockholm; empty: this computer's")},
        rig.timeZone);
    degrees(v,
            {.key = "latitude",
             .name = Text::mark("latitude"),
             .unit = "°",
             .decimals = 5,
             .low = -90,
             .high = 90,
             .label = Text::mark("Place"),
             .help = Text::mark("north positive"),
             .needed = true,
             .compared = 1},
            rig.site.latitude);
    degrees(v,
            {.key = "longitude",
             .name = Text::mark("longitude"),
             .unit = "°",
             .decimals = 5,
             .low = -180,
             .high = 360,
             .label = "+",
             .help = Text::mark("east positive"),
             .needed = true,
             .compared = 1},
            rig.site.longitude);
    v.number({.key = "height_m",
              .name = Text::mark("height"),
              .unit = "m",
              .low = -500,
              .high = 9000,
              .label = Text::mark("Height")},
             rig.site.height_m);
    v.number({.key = "pressure_hpa",
              .name = Text::mark("air pressure"),
              .unit = "hPa",
              .low = 0,
              .high = 1100,
              .label = Text::mark("Air")},
             rig.site.pressure_hpa);
    v.number({.key = "temperature_c",
              .name = Text::mark("temperature"),
              .unit = "°C",
              .decimals = 1,
              .low = -60,
              .high = 60,
              .label = "+"},
             rig.site.temperature_c);
    v.number({.key = "humidity",
              .name = Text::mark("humidity"),
              .decimals = 2,
              .low = 0,
              .high = 1,
              .help = Text::mark("0 to 1")},
             rig.site.humidity);
    v.horizon({.key = "horizon",
               .name = Text::mark("horizon"),
               .unit = "°",
               .low = -10,
               .high = 90,
               .help = Text::mark("[azimuth, altitude] pairs")},
              rig.horizon);
    v.leave();
}

void describe(Rig& rig, RigVisitor& v) {
    v.text({.key = "id",
            .name = Text::mark("identity"),
            .help = Text::mark("of the mount with these optics; what was measured belongs to it")},
           rig.id);
    v.text({.key = "name", .name = Text::mark("name"), .needed = true}, rig.name);
    describeOptics(rig, v);
    describeMount(rig, v);
    describeLoop(rig.guiding, v);
    describeSite(rig, v);
}

} // namespace nordstjerna
