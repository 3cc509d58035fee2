#include "edge/store/focus_json.h"

namespace nordstjerna {

namespace {
nlohmann::json pair(const Measured& m) {
    return {m.value, m.sigma};
}

Measured measured(const nlohmann::json& j) {
    return {j.at(0).get<double>(), j.at(1).get<double>()};
}
} // namespace

nlohmann::json focusToJson(const FocusResult& r) {
    nlohmann::json points = nlohmann::json::array();
    for (const CurvePoint& p : r.points)
        points.push_back({{"steps", p.steps},
                          {"hfd_px", pair(p.hfd_px)},
                          {"stars", p.stars},
                          {"left_out", p.leftOut.english()}});
    nlohmann::json inward = nlohmann::json::array();
    for (const InwardFrame& f : r.inward)
        inward.push_back({{"from", f.from}, {"steps", f.steps}, {"hfd_px", pair(f.hfd_px)}});
    const FocusCurve& c = r.curve;
    nlohmann::json j{{"points", points},
                     {"inward", inward},
                     {"curve",
                      {{"best_steps", pair(c.best_steps)},
                       {"hfd_px", pair(c.hfd_px)},
                       {"slope_px", pair(c.slope_px)},
                       {"asymmetry", pair(c.asymmetry)},
                       {"r2", c.r2},
                       {"residual", c.residual},
                       {"shake", c.shake},
                       {"lopsided", c.lopsided}}},
                     {"zone_steps", r.zone_steps},
                     {"ended_steps", r.ended_steps}};
    if (r.backlash_steps)
        j["play_steps"] = pair(*r.backlash_steps);
    return j;
}

Expected<FocusResult> focusFromJson(const nlohmann::json& j) {
    try {
        FocusResult r;
        for (const nlohmann::json& p : j.at("points"))
            r.points.push_back({p.at("steps").get<double>(), measured(p.at("hfd_px")),
                                p.at("stars").get<int>(), p.at("left_out").get<std::string>()});
        for (const nlohmann::json& f : j.at("inward"))
            r.inward.push_back(
                {f.at("from").get<double>(), f.at("steps").get<double>(), measured(f.at("hfd_px"))});
        const nlohmann::json& c = j.at("curve");
        r.curve.best_steps = measured(c.at("best_steps"));
        r.curve.hfd_px = measured(c.at("hfd_px"));
        r.curve.slope_px = measured(c.at("slope_px"));
        r.curve.asymmetry = measured(c.at("asymmetry"));
        r.curve.r2 = c.at("r2").get<double>();
        r.curve.residual = c.at("residual").get<double>();
        r.curve.shake = c.at("shake").get<double>();
        r.curve.lopsided = c.at("lopsided").get<bool>();
        r.zone_steps = j.at("zone_steps").get<double>();
        r.ended_steps = j.at("ended_steps").get<double>();
        if (j.contains("play_steps"))
            r.backlash_steps = measured(j.at("play_steps"));
        if (r.points.empty())
            return problem(Text::say("A stored focus run has no points."), "",
                           Text::say("Its figures are in the night log."));
        return r;
    } catch (const nlohmann::json::exception& e) {
        return problem(Text::say("A stored focus run cannot be read."), std::string(e.what()) + ".",
                       Text::say("Its figures are in the night log."));
    }
}

} // namespace nordstjerna
