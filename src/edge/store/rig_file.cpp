#include "edge/store/rig_file.h"

#include <cmath>

#include "edge/store/json_reader.h"

namespace nordstjerna {

namespace {
Expected<CameraSpec> camera(const nlohmann::json& j, const std::string& where) {
    CameraSpec c;
    JsonReader r(j, where);
    r.required("pixel_um", c.pixel_um)
        .required("width", c.width)
        .required("height", c.height)
        .optional("bin", c.bin)
        .optional("bits", c.bits)
        .optional("gain_e_adu", c.gain_e_adu)
        .optional("read_noise_e", c.readNoise_e)
        .optional("full_well_e", c.fullWell_e);
    return r.finish(c);
}

Expected<Optics> optics(const nlohmann::json& j, const std::string& where) {
    Optics o;
    JsonReader r(j, where);
    r.required("focal_mm", o.focal_mm).required("aperture_mm", o.aperture_mm).optional("reducer", o.reducer);
    return r.finish(o);
}

Expected<FocuserSpec> focuser(const nlohmann::json& j, const std::string& where) {
    FocuserSpec f;
    JsonReader r(j, where);
    r.optional("step_um", f.step_um)
        .optional("play_steps", f.play_steps)
        .optional("play_sigma_steps", f.playSigma_steps);
    return r.finish(f);
}

Expected<std::optional<GuideOffset>> guideOffset(const nlohmann::json& j) {
    if (j.empty())
        return std::nullopt;
    GuideOffset f;
    JsonReader r(j, "guide_offset");
    r.required("right_arcmin", f.right_arcmin)
        .required("up_arcmin", f.up_arcmin)
        .required("turn_deg", f.turn_deg);
    return r.finish(std::optional(f));
}

Expected<MountSpec> mount(const nlohmann::json& j, const std::string& where) {
    MountSpec m;
    double east_h = m.meridianLimitEast.hours();
    double west_h = m.meridianLimitWest.hours();
    double lowest_deg = m.lowestAltitude.deg();
    JsonReader r(j, where);
    r.optional("guide_rate_ra", m.guideRateRa)
        .optional("guide_rate_dec", m.guideRateDec)
        .optional("worm_period_s", m.wormPeriod_s)
        .optional("shaft_turns", m.shaftTurns)
        .optional("encoders", m.encoders)
        .optional("slew_rate_deg_s", m.slewRate_deg_s)
        .optional("past_meridian_east_h", east_h)
        .optional("past_meridian_west_h", west_h)
        .optional("lowest_altitude_deg", lowest_deg);
    const auto done = r.finish();
    if (!done)
        return tl::unexpected(done.error());
    m.meridianLimitEast = Angle::fromHours(east_h);
    m.meridianLimitWest = Angle::fromHours(west_h);
    m.lowestAltitude = Angle::fromDeg(lowest_deg);
    return m;
}

struct SitePart {
    Site site;
    std::string name, zone;
    HorizonProfile horizon;
};

Expected<SitePart> site(const nlohmann::json& j, const std::string& where) {
    SitePart s;
    double latitude = 0.0;
    double longitude = 0.0;
    std::vector<std::vector<double>> horizon;
    JsonReader r(j, where);
    r.optional("name", s.name)
        .optional("time_zone", s.zone)
        .required("latitude", latitude)
        .required("longitude", longitude)
        .optional("height_m", s.site.height_m)
        .optional("pressure_hpa", s.site.pressure_hpa)
        .optional("temperature_c", s.site.temperature_c)
        .optional("humidity", s.site.humidity)
        .optional("horizon", horizon);
    std::vector<AltAz> points;
    for (const auto& p : horizon) {
        if (p.size() != 2)
            r.setProblem({"A horizon point in " + where + " does not have two numbers.",
                          "Points are [azimuth, altitude] in degrees.", "Correct the point."});
        else
            points.push_back({Angle::fromDeg(p[1]), Angle::fromDeg(p[0])});
    }
    const auto done = r.finish();
    if (!done)
        return tl::unexpected(done.error());
    s.site.latitude = Angle::fromDeg(latitude);
    s.site.longitude = Angle::fromDeg(longitude);
    s.horizon = HorizonProfile(std::move(points));
    return s;
}

nlohmann::json toJson(const CameraSpec& c) {
    return {{"pixel_um", c.pixel_um},
            {"width", c.width},
            {"height", c.height},
            {"bin", c.bin},
            {"bits", c.bits},
            {"gain_e_adu", c.gain_e_adu},
            {"read_noise_e", c.readNoise_e},
            {"full_well_e", c.fullWell_e}};
}

nlohmann::json toJson(const FocuserSpec& f) {
    return {{"step_um", f.step_um}, {"play_steps", f.play_steps}, {"play_sigma_steps", f.playSigma_steps}};
}

nlohmann::json toJson(const Optics& o) {
    return {{"focal_mm", o.focal_mm}, {"aperture_mm", o.aperture_mm}, {"reducer", o.reducer}};
}

// Angles pass through radians; this keeps 58.35 from becoming 58.349999999999994 in the file.
double tidy(double v) {
    return std::round(v * 1e9) / 1e9;
}
} // namespace

Expected<Rig> rigFromJson(const nlohmann::json& j, const std::string& where) {
    Rig rig;
    std::string format;
    JsonReader r(j, where);
    r.required("format", format)
        .optional("id", rig.id)
        .required("name", rig.name)
        .optional("off_axis", rig.offAxis);
    const nlohmann::json imagingJson = r.child("imaging");
    const nlohmann::json guidingJson = r.child("guiding");
    const nlohmann::json mountJson = r.child("mount");
    const nlohmann::json siteJson = r.child("site");
    const nlohmann::json loopJson = r.child("loop");
    const nlohmann::json fieldJson = r.child("guide_offset");
    if (const auto done = r.finish(); !done)
        return tl::unexpected(done.error());
    if (format != "nordstjerna-rig 1")
        return problem(where + " is of format \"" + format + "\".", "This program reads nordstjerna-rig 1.",
                       "Use a newer program.");
    const auto part = [&](const nlohmann::json& side, const std::string& name,
                          bool withOptics) -> Expected<void> {
        JsonReader s(side, name);
        const nlohmann::json cameraJson = s.child("camera");
        const nlohmann::json opticsJson = s.child("optics");
        const nlohmann::json focuserJson = s.child("focuser");
        if (const auto done = s.finish(); !done)
            return done;
        const auto c = camera(cameraJson, name + ".camera");
        if (!c)
            return tl::unexpected(c.error());
        (name == "imaging" ? rig.imagingCamera : rig.guideCamera) = *c;
        const auto f = focuser(focuserJson, name + ".focuser");
        if (!f)
            return tl::unexpected(f.error());
        (name == "imaging" ? rig.imagingFocuser : rig.guideFocuser) = *f;
        if (!withOptics)
            return {};
        const auto o = optics(opticsJson, name + ".optics");
        if (!o)
            return tl::unexpected(o.error());
        (name == "imaging" ? rig.imagingOptics : rig.guideOptics) = *o;
        return {};
    };
    if (const auto done = part(imagingJson, "imaging", true); !done)
        return tl::unexpected(done.error());
    const bool ownScope = !rig.offAxis || (guidingJson.is_object() && guidingJson.contains("optics"));
    if (const auto done = part(guidingJson, "guiding", ownScope); !done)
        return tl::unexpected(done.error());
    const auto field = guideOffset(fieldJson);
    if (!field)
        return tl::unexpected(field.error());
    rig.guideOffset = *field;
    const auto m = mount(mountJson, "mount");
    if (!m)
        return tl::unexpected(m.error());
    rig.mount = *m;
    const auto s = site(siteJson, "site");
    if (!s)
        return tl::unexpected(s.error());
    rig.site = s->site;
    rig.siteName = s->name;
    rig.timeZone = s->zone;
    rig.horizon = s->horizon;
    JsonReader loop(loopJson, "loop");
    loop.optional("exposure_s", rig.guiding.exposure_s).optional("pulse_limit_ms", rig.guiding.pulseLimit_ms);
    if (const auto done = loop.finish(); !done)
        return tl::unexpected(done.error());
    if (const auto valid = validateRig(rig); !valid)
        return tl::unexpected(valid.error());
    // Files from before rigs had identities: the same name is the same rig.
    if (rig.id.empty())
        rig.id = "name:" + rig.name;
    return rig;
}

nlohmann::json rigToJson(const Rig& rig) {
    nlohmann::json horizon = nlohmann::json::array();
    for (const AltAz& p : rig.horizon.points())
        horizon.push_back({tidy(p.azimuth.deg()), tidy(p.altitude.deg())});
    nlohmann::json written{
        {"format", "nordstjerna-rig 1"},
        {"id", rig.id},
        {"name", rig.name},
        {"off_axis", rig.offAxis},
        {"imaging",
         {{"camera", toJson(rig.imagingCamera)},
          {"optics", toJson(rig.imagingOptics)},
          {"focuser", toJson(rig.imagingFocuser)}}},
        {"guiding",
         {{"camera", toJson(rig.guideCamera)},
          {"optics", toJson(rig.guideOptics)},
          {"focuser", toJson(rig.guideFocuser)}}},
        {"mount",
         {{"guide_rate_ra", rig.mount.guideRateRa},
          {"guide_rate_dec", rig.mount.guideRateDec},
          {"worm_period_s", rig.mount.wormPeriod_s},
          {"shaft_turns", rig.mount.shaftTurns},
          {"encoders", rig.mount.encoders},
          {"slew_rate_deg_s", rig.mount.slewRate_deg_s},
          {"past_meridian_east_h", tidy(rig.mount.meridianLimitEast.hours())},
          {"past_meridian_west_h", tidy(rig.mount.meridianLimitWest.hours())},
          {"lowest_altitude_deg", tidy(rig.mount.lowestAltitude.deg())}}},
        {"loop", {{"exposure_s", rig.guiding.exposure_s}, {"pulse_limit_ms", rig.guiding.pulseLimit_ms}}},
        {"site",
         {{"name", rig.siteName},
          {"time_zone", rig.timeZone},
          {"latitude", tidy(rig.site.latitude.deg())},
          {"longitude", tidy(rig.site.longitude.deg())},
          {"height_m", rig.site.height_m},
          {"pressure_hpa", rig.site.pressure_hpa},
          {"temperature_c", rig.site.temperature_c},
          {"humidity", rig.site.humidity},
          {"horizon", horizon}}},
    };
    if (rig.guideOffset)
        written["guide_offset"] = {{"right_arcmin", rig.guideOffset->right_arcmin},
                                   {"up_arcmin", rig.guideOffset->up_arcmin},
                                   {"turn_deg", rig.guideOffset->turn_deg}};
    return written;
}

Expected<Rig> readRig(const std::filesystem::path& path) {
    const auto json = readJsonFile(path);
    if (!json)
        return tl::unexpected(json.error());
    return rigFromJson(*json, path.filename().string());
}

Expected<void> writeRig(const std::filesystem::path& path, const Rig& rig) {
    if (const auto valid = validateRig(rig); !valid)
        return valid;
    return writeJsonFile(path, rigToJson(rig));
}

} // namespace nordstjerna
