#include "edge/devices/sim/scenario.h"

#include <algorithm>

#include "edge/store/json_reader.h"
#include "edge/store/rig_file.h"

namespace nordstjerna {

std::optional<FaultKind> faultKindFrom(const std::string& word) {
    static constexpr std::pair<const char*, FaultKind> kinds[] = {{"cloud", FaultKind::cloud},
                                                                  {"dew", FaultKind::dew},
                                                                  {"gust", FaultKind::gust},
                                                                  {"bump", FaultKind::bump},
                                                                  {"lamp", FaultKind::lamp},
                                                                  {"satellite", FaultKind::satellite},
                                                                  {"mount-link", FaultKind::mountLink},
                                                                  {"camera-link", FaultKind::cameraLink},
                                                                  {"focuser-link", FaultKind::focuserLink},
                                                                  {"mount-hangs", FaultKind::mountHangs},
                                                                  {"camera-hangs", FaultKind::cameraHangs},
                                                                  {"frozen", FaultKind::frozen},
                                                                  {"clock-set", FaultKind::clockSet}};
    const auto known =
        std::find_if(std::begin(kinds), std::end(kinds), [&](const auto& k) { return word == k.first; });
    return known == std::end(kinds) ? std::nullopt : std::optional(known->second);
}

namespace {
Expected<PeriodicTerm> periodicTerm(const nlohmann::json& j) {
    PeriodicTerm t;
    JsonReader r(j, "mount.periodic");
    r.required("period_s", t.period_s)
        .required("amplitude_arcsec", t.amplitude_arcsec)
        .optional("phase_deg", t.phase_deg);
    if (t.period_s <= 0.0)
        r.setProblem(
            {Text::say("A periodic term has no period."), "", Text::say("Give period_s above zero.")});
    return r.finish(t);
}

Expected<Fault> fault(const nlohmann::json& j) {
    Fault f;
    std::string kind;
    JsonReader r(j, "faults");
    r.required("kind", kind)
        .required("at_s", f.at_s)
        .optional("length_s", f.length_s)
        .optional("amount", f.amount)
        .optional("amount2", f.amount2);
    if (const auto known = faultKindFrom(kind))
        f.kind = *known;
    else
        r.setProblem({Text::say("Unknown fault \"%1\".").arg(kind),
                      Text::say("Known faults: cloud, dew, gust, bump, lamp, satellite, mount-link, "
                                "camera-link, focuser-link, mount-hangs, camera-hangs, frozen."),
                      Text::say("Correct it.")});
    return r.finish(f);
}

Expected<SimFocuserSetup> focuserSetup(const nlohmann::json& j) {
    SimFocuserSetup f;
    if (j.empty())
        return f;
    f.fitted = true;
    JsonReader r(j, "focuser");
    r.optional("step_um", f.step_um)
        .optional("begin_steps", f.begin_steps)
        .optional("lowest_steps", f.lowest_steps)
        .optional("highest_steps", f.highest_steps)
        .optional("play_steps", f.backlash_steps)
        .optional("slip", f.slip)
        .optional("steps_s", f.steps_s)
        .optional("heat_um_c", f.heat_um_c);
    if (!(f.step_um > 0.0 && f.steps_s > 0.0 && f.backlash_steps >= 0.0 && f.lowest_steps < f.highest_steps &&
          f.begin_steps >= f.lowest_steps && f.begin_steps <= f.highest_steps))
        r.setProblem({Text::say("A simulated focuser cannot be."),
                      Text::say("Its step, speed or travel make no sense."),
                      Text::say("Correct them in the scenario.")});
    return r.finish(f);
}

Expected<SimWheelSetup> wheelSetup(const nlohmann::json& j, size_t slots) {
    SimWheelSetup w;
    if (j.empty())
        return w;
    w.fitted = true;
    JsonReader r(j, "wheel");
    r.optional("offsets_um", w.offsets_um)
        .optional("passes", w.passes)
        .optional("slot_s", w.slot_s)
        .optional("stuck", w.stuck);
    const auto shares = [](double v) { return v > 0.0 && v <= 1.0; };
    if (slots == 0 || w.offsets_um.size() > slots || w.passes.size() > slots || !(w.slot_s >= 0.0) ||
        w.slot_s > 600.0 || !std::all_of(w.passes.begin(), w.passes.end(), shares))
        r.setProblem({Text::say("A simulated filter wheel cannot be."),
                      Text::say("Its slots are the filters of the rig; what passes is a share from 0 to 1."),
                      Text::say("Correct it in the scenario.")});
    w.offsets_um.resize(slots, 0.0);
    w.passes.resize(slots, 1.0);
    return r.finish(w);
}

Expected<SimRotatorSetup> rotatorSetup(const nlohmann::json& j) {
    SimRotatorSetup t;
    if (j.empty())
        return t;
    t.fitted = true;
    JsonReader r(j, "rotator");
    r.optional("begin_deg", t.begin_deg)
        .optional("lowest_deg", t.lowest_deg)
        .optional("highest_deg", t.highest_deg)
        .optional("speed_deg_s", t.speed_deg_s)
        .optional("reversed", t.reversed)
        .optional("stuck", t.stuck);
    if (!(t.lowest_deg >= -720.0 && t.highest_deg <= 720.0 && t.lowest_deg < t.highest_deg &&
          t.begin_deg >= t.lowest_deg && t.begin_deg <= t.highest_deg && t.speed_deg_s > 0.0 &&
          t.speed_deg_s <= 360.0))
        r.setProblem({Text::say("A simulated rotator cannot be."),
                      Text::say("Its range, its place or its speed make no sense."),
                      Text::say("Correct it in the scenario.")});
    return r.finish(t);
}

Expected<SimCoolerSetup> coolerSetup(const nlohmann::json& j) {
    SimCoolerSetup c;
    if (j.empty())
        return c;
    c.fitted = true;
    JsonReader r(j, "cooler");
    r.optional("reach_c", c.reach_c).optional("memory_s", c.memory_s);
    if (!(c.reach_c > 0.0 && c.reach_c < 100.0 && c.memory_s >= 1.0 && c.memory_s < 3600.0))
        r.setProblem({Text::say("A simulated cooler cannot be."),
                      Text::say("It reaches up to 100 °C below the air, with a memory from 1 s to an hour."),
                      Text::say("Correct it in the scenario.")});
    return r.finish(c);
}

Expected<SimGainSetup> gainSetup(const nlohmann::json& j) {
    SimGainSetup g;
    if (j.empty())
        return g;
    g.fitted = true;
    JsonReader r(j, "guide_gain");
    r.optional("begin", g.begin)
        .optional("lowest", g.lowest)
        .optional("highest", g.highest)
        .optional("tenfold", g.tenfold)
        .optional("converter", g.converter);
    if (!(g.lowest < g.highest && g.begin >= g.lowest && g.begin <= g.highest && g.tenfold > 0.0 &&
          g.converter >= 0.0 && g.converter <= 1.0))
        r.setProblem({Text::say("A simulated gain cannot be."),
                      Text::say("It begins between its lowest and its highest setting, and the converter's "
                                "share of the noise is from 0 to 1."),
                      Text::say("Correct it in the scenario.")});
    return r.finish(g);
}

Expected<std::optional<SimComet>> cometSetup(const nlohmann::json& j) {
    if (j.empty())
        return std::optional<SimComet>();
    SimComet c;
    double ra = 0.0;
    double dec = 0.0;
    JsonReader r(j, "comet");
    r.required("ra_deg", ra)
        .required("dec_deg", dec)
        .optional("east_arcsec_h", c.east_arcsec_h)
        .optional("north_arcsec_h", c.north_arcsec_h)
        .optional("magnitude", c.magnitude);
    if (!(std::abs(dec) <= 90.0 && std::hypot(c.east_arcsec_h, c.north_arcsec_h) < 36000.0 &&
          c.magnitude > -5.0 && c.magnitude < 25.0))
        r.setProblem({Text::say("A simulated comet cannot be."),
                      Text::say("It moves by less than 10° an hour, and is of magnitude −5 to 25."),
                      Text::say("Correct it in the scenario.")});
    c.place = {Angle::fromDeg(ra), Angle::fromDeg(dec)};
    return r.finish(std::optional(c));
}
} // namespace

std::vector<std::string> usualSkySeries() {
    std::vector<std::string> list;
    for (int k = 8; k <= 19; ++k)
        list.push_back(std::string("index-tycho2-") + (k < 10 ? "0" : "") + std::to_string(k));
    return list;
}

Expected<Scenario> readScenario(const std::filesystem::path& path) {
    const auto file = readJsonFile(path);
    if (!file)
        return tl::unexpected(file.error());
    Scenario s;
    std::string format;
    std::string start;
    std::string rigFile;
    JsonReader r(*file, path.filename().string());
    r.required("format", format)
        .optional("name", s.name)
        .required("rig", rigFile)
        .required("start_utc", start)
        .optional("sky_series", s.skySeries)
        .optional("speed", s.speed)
        .optional("seed", s.seed);
    const nlohmann::json target = r.child("target");
    const nlohmann::json parked = r.child("parked");
    const nlohmann::json axis = r.child("axis");
    const nlohmann::json mount = r.child("mount");
    const nlohmann::json levers = r.child("levers");
    const nlohmann::json cameras = r.child("cameras");
    const nlohmann::json imagingFocuser = r.child("imaging_focuser");
    const nlohmann::json guideFocuser = r.child("guide_focuser");
    const nlohmann::json wheel = r.child("wheel");
    const nlohmann::json rotator = r.child("rotator");
    const nlohmann::json cooler = r.child("cooler");
    const nlohmann::json gain = r.child("guide_gain");
    const nlohmann::json comet = r.child("comet");
    const nlohmann::json air = r.child("air");
    const nlohmann::json faults = r.child("faults");
    if (const auto done = r.finish(); !done)
        return tl::unexpected(done.error());
    if (format != "nordstjerna-scenario 1")
        return problem(Text::say("%1 is of format \"%2\".").arg(path.string()).arg(format),
                       Text::say("This program reads nordstjerna-scenario 1."),
                       Text::say("Use a newer program."));
    const auto when = parseInstant(start);
    if (!when)
        return tl::unexpected(when.error());
    s.start = *when;
    const auto rig = readRig(path.parent_path() / rigFile);
    if (!rig)
        return tl::unexpected(rig.error());
    s.rig = *rig;

    const auto read = [](const nlohmann::json& j, const char* where, auto&& fill) -> Expected<void> {
        JsonReader reader(j, where);
        fill(reader);
        return reader.finish();
    };
    double ra = 0.0;
    double dec = 0.0;
    double ha_h = -1.0;
    double parkedDec = 0.0;
    std::vector<nlohmann::json> terms, decTerms;
    const Expected<void> parts[] = {
        read(
            target, "target",
            [&](JsonReader& t) { t.optional("name", s.targetName).optional("ra", ra).optional("dec", dec); }),
        read(parked, "parked",
             [&](JsonReader& t) { t.optional("hour_angle_h", ha_h).optional("dec", parkedDec); }),
        read(axis, "axis",
             [&](JsonReader& t) {
                 t.optional("east_arcmin", s.axisEast_arcmin).optional("high_arcmin", s.axisHigh_arcmin);
             }),
        read(mount, "mount",
             [&](JsonReader& t) {
                 t.optional("cone_arcmin", s.cone_arcmin)
                     .optional("sync_ra_arcmin", s.syncRa_arcmin)
                     .optional("sync_dec_arcmin", s.syncDec_arcmin)
                     .optional("ra_backlash_arcsec", s.raBacklash_arcsec)
                     .optional("dec_backlash_arcsec", s.decBacklash_arcsec)
                     .optional("guide_rate_error", s.guideRateError)
                     .optional("tracking_error_ppm", s.trackingError_ppm)
                     .optional("settle_arcsec", s.settle_arcsec)
                     .optional("settle_s", s.settle_s)
                     .optional("flips_ignored", s.flipsIgnored)
                     .optional("parks", s.parks)
                     .optional("chooses_side", s.choosesSide)
                     .optional("flip_late_min", s.flipLate_min)
                     .optional("dec_reversed_after_flip", s.decReversedAfterFlip)
                     .optional("tells_time", s.tellsTime)
                     .optional("clock_error_s", s.clockError_s)
                     .optional("stops_at_limit", s.stopsAtLimit)
                     .optional("reports_worm", s.reportsWorm)
                     .optional("worm_phase_error_turns", s.wormPhaseError_turns)
                     .optional("worm_phase_backwards", s.wormPhaseBackwards)
                     .optional("worm_period_s", s.wormPeriod_s)
                     .optional("worm_variation", s.wormVariation)
                     .optional("dec_stiction_arcsec", s.decStiction_arcsec)
                     .optional("walk_ra_arcsec", s.walkRa_arcsec)
                     .optional("walk_dec_arcsec", s.walkDec_arcsec)
                     .optional("wind_arcsec", s.wind_arcsec)
                     .optional("wind_s", s.wind_s)
                     .optional("pulse_resolution_ms", s.pulseResolution_ms)
                     .optional("pulse_asymmetry_ra", s.pulseAsymmetryRa)
                     .optional("pulse_asymmetry_dec", s.pulseAsymmetryDec)
                     .optional("pulse_delay_s", s.pulses.delay_s)
                     .optional("pulse_ramp_s", s.pulses.ramp_s)
                     .optional("pulses_lost", s.pulses.lost)
                     .optional("pulses_queued", s.pulses.queued)
                     .optional("pulses_one_axis", s.pulses.oneAxis)
                     .optional("balance_h", s.balance_h)
                     .optional("balance_arcsec", s.balance_arcsec)
                     .optional("periodic", terms)
                     .optional("dec_periodic", decTerms);
             }),
        read(levers, "levers",
             [&](JsonReader& t) {
                 t.optional("azimuth_arcmin_turn", s.azimuthLever_arcmin_turn)
                     .optional("altitude_arcmin_turn", s.altitudeLever_arcmin_turn)
                     .optional("stick_arcmin", s.leverStick_arcmin)
                     .optional("coupling", s.leverCoupling)
                     .optional("base_tilt_north_deg", s.baseTiltNorth_deg)
                     .optional("base_tilt_east_deg", s.baseTiltEast_deg);
             }),
        read(cameras, "cameras",
             [&](JsonReader& t) {
                 t.optional("guide_roll_deg", s.guideRoll_deg)
                     .optional("imaging_roll_deg", s.imagingRoll_deg)
                     .optional("guide_aside_arcmin", s.guideAside_arcmin)
                     .optional("guide_above_arcmin", s.guideAbove_arcmin)
                     .optional("guide_mirrored", s.guideMirrored)
                     .optional("guide_blur_um", s.guideBlur_um)
                     .optional("guide_coma_um", s.guideComa_um)
                     .optional("guide_coma_deg", s.guideComa_deg)
                     .optional("guide_focus_um", s.guideFocus_um)
                     .optional("guide_colour", s.guideColour)
                     .optional("imaging_blur_um", s.imagingBlur_um)
                     .optional("imaging_focus_um", s.imagingFocus_um)
                     .optional("imaging_focus_drift_um_h", s.imagingFocusDrift_um_h)
                     .optional("flexure_ra_arcsec_h", s.flexureRa_arcsec_h)
                     .optional("flexure_dec_arcsec_h", s.flexureDec_arcsec_h)
                     .optional("flexure_turn_h", s.flexureTurn_h)
                     .optional("mirror_flop_h", s.mirrorFlop_h)
                     .optional("mirror_flop_arcsec", s.mirrorFlop_arcsec)
                     .optional("imaging_obstruction", s.imagingObstruction)
                     .optional("hot_pixels", s.hotPixels)
                     .optional("dark_e_s", s.dark_e_s)
                     .optional("offset_adu", s.offset_adu)
                     .optional("guide_leak_e_s", s.guideLeak_e_s)
                     .optional("download_s", s.download_s)
                     .optional("download_jitter_s", s.downloadJitter_s)
                     .optional("stale_frames", s.staleFrames);
             }),
        read(air, "air",
             [&](JsonReader& t) {
                 t.optional("seeing_arcsec", s.seeing_arcsec)
                     .optional("sky_mag_arcsec2", s.sky_mag_arcsec2)
                     .optional("transparency", s.transparency)
                     .optional("cooling_c_h", s.cooling_c_h)
                     .optional("slow_share", s.slowAirShare)
                     .optional("slow_s", s.slowAir_s)
                     .optional("slow_longest_s", s.slowAirLongest_s)
                     .optional("slow_slope", s.slowAirSlope)
                     .optional("isoplanatic_arcmin", s.isoplanatic_arcmin)
                     .optional("seeing_wander", s.seeingWander);
             }),
    };
    for (const auto& done : parts)
        if (!done)
            return tl::unexpected(done.error());
    std::optional<Problem> wrong;
    const auto take = [&wrong](auto& to, auto&& made) {
        if (made)
            to = std::move(*made);
        else if (!wrong)
            wrong = made.error();
    };
    take(s.imagingFocuser, focuserSetup(imagingFocuser));
    take(s.guideFocuser, focuserSetup(guideFocuser));
    take(s.wheel, wheelSetup(wheel, s.rig.filters.size()));
    take(s.rotator, rotatorSetup(rotator));
    take(s.cooler, coolerSetup(cooler));
    take(s.guideGain, gainSetup(gain));
    take(s.comet, cometSetup(comet));
    if (wrong)
        return tl::unexpected(*wrong);
    s.target = {Angle::fromDeg(ra), Angle::fromDeg(dec)};
    s.parked = {Angle::fromHours(ha_h), Angle::fromDeg(parkedDec)};
    for (auto [from, to] : {std::pair{&terms, &s.periodic}, {&decTerms, &s.decPeriodic}})
        for (const nlohmann::json& j : *from) {
            const auto t = periodicTerm(j);
            if (!t)
                return tl::unexpected(t.error());
            to->push_back(*t);
        }
    if (faults.is_array())
        for (const nlohmann::json& j : faults) {
            const auto f = fault(j);
            if (!f)
                return tl::unexpected(f.error());
            s.faults.push_back(*f);
        }
    const auto within = [](double v, double low, double high) { return v >= low && v <= high; };
    constexpr size_t mostTerms = 200;
    if (!within(s.hotPixels, 0, 100000) || s.periodic.size() > mostTerms ||
        s.decPeriodic.size() > mostTerms || !within(s.downloadJitter_s, 0, 600) ||
        !within(s.staleFrames, 0, 1) || s.faults.size() > 10000 || !within(s.download_s, 0, 600) ||
        !within(s.dark_e_s, 0, 1e5) || !within(s.guideLeak_e_s, 0, 1e5) || !within(s.offset_adu, 0, 1e5) ||
        !within(s.guideBlur_um, 0, 1000) || !within(s.guideComa_um, 0, 200) ||
        !within(s.imagingBlur_um, 0, 1000) || !within(s.imagingObstruction, 0, 0.9) ||
        !within(s.seeing_arcsec, 0, 60) || !within(s.rig.guideCamera.width, 8, 20000) ||
        !within(s.rig.guideCamera.height, 8, 20000) || !within(s.rig.imagingCamera.width, 8, 20000) ||
        !within(s.rig.imagingCamera.height, 8, 20000))
        return problem(Text::say("The scenario asks for more than can be simulated."),
                       Text::say("At most 100 000 hot pixels, 200 periodic terms, 10 000 faults, sensors of "
                                 "20 000 px, blurs of 1 mm, seeing of 60″."),
                       Text::say("Correct the values."));
    if (!within(s.slowAirShare, 0, 1) || !within(s.slowAir_s, 0.1, 3600) || !within(s.wind_s, 0.1, 3600) ||
        !within(s.wormVariation, 0, 1) || !within(s.decStiction_arcsec, 0, 600) ||
        !within(s.walkRa_arcsec, 0, 600) || !within(s.walkDec_arcsec, 0, 600) ||
        !within(s.wind_arcsec, 0, 600) || !within(s.pulseResolution_ms, 0, 1000) ||
        !within(s.flipsIgnored, 0, 100) || !within(s.flipLate_min, 0, 300) ||
        !within(std::abs(s.flexureRa_arcsec_h) + std::abs(s.flexureDec_arcsec_h), 0, 3600) ||
        (s.flexureTurn_h != 0.0 && !within(s.flexureTurn_h, 2, 1000)) || !within(s.pulses.delay_s, 0, 60) ||
        !within(s.pulses.ramp_s, 0, 60) || !within(s.pulses.lost, 0, 1) ||
        (s.wormPeriod_s != 0.0 && !within(s.wormPeriod_s, 1, 86400)) ||
        !within(std::abs(s.balance_arcsec) + std::abs(s.mirrorFlop_arcsec), 0, 3600) ||
        (s.slowAirLongest_s != 0.0 && !within(s.slowAirLongest_s, s.slowAir_s, 3600)) ||
        !within(s.slowAirSlope, 0, 3) || !within(s.isoplanatic_arcmin, 0, 600) ||
        !within(s.seeingWander, 0, 2) || !within(s.pulseAsymmetryRa, -0.9, 0.9) ||
        !within(s.pulseAsymmetryDec, -0.9, 0.9))
        return problem(Text::say("The scenario asks for an impossible mount or impossible seeing."),
                       Text::say("Shares lie between 0 and 1, asymmetries within 0.9, memories between 0.1 "
                                 "and 3600 s, sizes are not negative."),
                       Text::say("Correct the values."));
    if (s.seeing_arcsec <= 0.0 || s.speed < 0.0 || s.transparency <= 0.0)
        return problem(Text::say("The scenario states an impossible night."),
                       Text::say("Seeing and transparency must be above zero, speed not negative."),
                       Text::say("Correct the values."));
    return s;
}

Scenario withRig(Scenario night, const Rig& rig) {
    const Site before = night.rig.site;
    night.rig = rig;
    night.wheel.offsets_um.resize(rig.filters.size(), 0.0);
    night.wheel.passes.resize(rig.filters.size(), 1.0);
    night.wheel.fitted = night.wheel.fitted && !rig.filters.empty();
    const double later_h = (before.longitude - rig.site.longitude).wrappedSigned().hours();
    night.start = night.start + 3600.0 * later_h;
    // The other pole, the other half of the sky.
    if (before.southern() != rig.site.southern()) {
        night.target.dec = Angle::fromDeg(-night.target.dec.deg());
        night.targetName = "Southern field";
        night.parked.dec = Angle::fromDeg(-night.parked.dec.deg());
    }
    return night;
}

} // namespace nordstjerna
