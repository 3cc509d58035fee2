#include "edge/store/calibration_json.h"

namespace nordstjerna {

nlohmann::json calibrationToJson(const Calibration& r) {
    nlohmann::json samples = nlohmann::json::array();
    for (const CalibrationSample& s : r.samples)
        samples.push_back({s.t_s, s.x, s.y, static_cast<int>(s.leg), s.pulse_ms});
    nlohmann::json setup{{"scale_arcsec_px", r.setup.scale_arcsec_px},
                         {"guide_rate_ra", r.setup.guideRateRa},
                         {"guide_rate_dec", r.setup.guideRateDec},
                         {"dec_deg", r.setup.dec.deg()},
                         {"hour_angle_h", r.setup.hourAngle_h},
                         {"side", r.setup.side},
                         {"bin", r.setup.bin},
                         {"worm_period_s", r.setup.wormPeriod_s}};
    if (r.setup.east_deg)
        setup["east_deg"] = *r.setup.east_deg;
    if (r.setup.north_deg)
        setup["north_deg"] = *r.setup.north_deg;
    if (r.setup.east_deg)
        setup["direction_sigma_deg"] = r.setup.directionSigma_deg;
    if (!r.setup.decMotor)
        setup["dec_motor"] = false;
    return {{"setup", setup}, {"samples", samples}};
}

Expected<Calibration> calibrationFromJson(const nlohmann::json& json) {
    try {
        const auto& j = json.at("setup");
        CalibrationSetup setup;
        setup.scale_arcsec_px = j.at("scale_arcsec_px");
        setup.guideRateRa = j.at("guide_rate_ra");
        setup.guideRateDec = j.at("guide_rate_dec");
        setup.dec = Angle::fromDeg(j.at("dec_deg"));
        setup.hourAngle_h = j.at("hour_angle_h");
        setup.side = j.at("side");
        setup.bin = j.at("bin");
        setup.wormPeriod_s = j.value("worm_period_s", 0.0);
        if (j.contains("east_deg"))
            setup.east_deg = j.at("east_deg").get<double>();
        if (j.contains("north_deg"))
            setup.north_deg = j.at("north_deg").get<double>();
        setup.directionSigma_deg = j.value("direction_sigma_deg", setup.directionSigma_deg);
        setup.decMotor = j.value("dec_motor", true);
        std::vector<CalibrationSample> samples;
        for (const auto& s : json.at("samples")) {
            const int leg = s.at(3);
            if (leg < 0 || leg > 3)
                return problem(Text::say("A stored calibration cannot be read."),
                               Text::say("It names an unknown leg."), Text::say("Measure again."));
            samples.push_back({s.at(0), s.at(1), s.at(2), static_cast<Leg>(leg), s.at(4)});
        }
        return fitCalibration(samples, setup);
    } catch (const nlohmann::json::exception& e) {
        return problem(Text::say("A stored calibration cannot be read."), std::string(e.what()) + ".",
                       Text::say("Measure again."));
    }
}

} // namespace nordstjerna
