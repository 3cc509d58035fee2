#include "edge/store/evening_file.h"

#include <algorithm>

#include "edge/store/json_reader.h"
#include "edge/store/rig_file.h"

namespace nordstjerna {

namespace {
constexpr const char* eveningFormat = "nordstjerna-evening 1";

nlohmann::json taughtToJson(const LoopPriors& p) {
    auto json = nlohmann::json::object();
    if (p.ra.worm) {
        auto worm = nlohmann::json::array();
        for (const Measured& c : p.ra.worm->coefficient)
            worm.push_back({c.value, c.sigma});
        json["worm_arcsec"] = worm;
        json["worm_period_s"] = p.ra.wormPeriod_s;
    }
    if (p.dec.backlash_arcsec)
        json["gap_arcsec"] = {p.dec.backlash_arcsec->value, p.dec.backlash_arcsec->sigma};
    return json;
}

LoopPriors taughtFromJson(const nlohmann::json& json) {
    LoopPriors p;
    if (json.contains("worm_arcsec")) {
        p.ra.wormPeriod_s = json.at("worm_period_s");
        p.ra.worm.emplace();
        for (const auto& c : json.at("worm_arcsec"))
            p.ra.worm->coefficient.push_back({c.at(0), c.at(1)});
    }
    if (json.contains("gap_arcsec"))
        p.dec.backlash_arcsec = Measured{json.at("gap_arcsec").at(0), json.at("gap_arcsec").at(1)};
    return p;
}

// Earlier versions kept those of the last rig alone.
std::map<std::string, std::vector<Evening::Setting>> settingsFromJson(const nlohmann::json& json,
                                                                      const std::string& lastRig) {
    std::map<std::string, std::vector<Evening::Setting>> all;
    const auto read = [&](const std::string& rig, const nlohmann::json& list) {
        for (const auto& s : list)
            all[rig].push_back({s.at("id").get<std::string>(), s.at("value").get<double>(),
                                s.value("origin", ""), s.value("reason", "")});
    };
    if (json.is_array())
        read(lastRig, json);
    else
        for (const auto& [rig, list] : json.items())
            read(rig, list);
    return all;
}

// [unix s, steps, ±, °C or null, filter]; earlier versions knew no filter.
nlohmann::json focusedToJson(const FocusedOnce& r) {
    auto json = nlohmann::json::array({r.when.unix_s, r.steps.value, r.steps.sigma, nullptr, r.filter});
    if (r.temperature_c)
        json[3] = *r.temperature_c;
    return json;
}

FocusedOnce focusedFromJson(const nlohmann::json& json) {
    FocusedOnce r{Instant{json.at(0).get<double>()}, {json.at(1), json.at(2)}, std::nullopt, {}};
    if (!json.at(3).is_null())
        r.temperature_c = json.at(3).get<double>();
    if (json.size() > 4)
        r.filter = json.at(4).get<std::string>();
    return r;
}

// A name and where it stands, in degrees.
nlohmann::json placeToJson(const std::string& name, const Equatorial& place) {
    return {{"name", name}, {"ra", place.ra.deg()}, {"dec", place.dec.deg()}};
}
Equatorial placeFromJson(const nlohmann::json& json) {
    return {Angle::fromDeg(json.at("ra").get<double>()), Angle::fromDeg(json.at("dec").get<double>())};
}

nlohmann::json brokenToJson(const BrokenSeries& b) {
    nlohmann::json json{{"target", placeToJson(b.targetName, b.target)},
                        {"optics", b.opticsId},
                        {"plan", b.plan},
                        {"folder", b.folder},
                        {"seed", b.seed},
                        {"frames", b.done.frames},
                        {"number", b.done.number},
                        {"dithers", b.done.dithers},
                        {"last", b.last.unix_s},
                        {"why", b.why}};
    if (b.motion.any())
        json["motion"] = {{"east_arcsec_h", b.motion.east_arcsec_h},
                          {"north_arcsec_h", b.motion.north_arcsec_h},
                          {"at", b.motion.at.unix_s}};
    if (b.roll_deg)
        json["roll_deg"] = *b.roll_deg;
    return json;
}

BrokenSeries brokenFromJson(const nlohmann::json& json) {
    BrokenSeries b;
    const auto& t = json.at("target");
    b.targetName = t.at("name").get<std::string>();
    b.target = placeFromJson(t);
    b.opticsId = json.value("optics", "");
    b.plan = json.at("plan").get<Evening::Fields>();
    b.folder = json.value("folder", "");
    b.seed = json.at("seed").get<std::uint64_t>();
    constexpr int most = 100000;
    b.done = {std::clamp(json.at("frames").get<int>(), 0, most),
              std::clamp(json.at("number").get<int>(), 0, most),
              std::clamp(json.at("dithers").get<int>(), 0, most)};
    b.last = Instant{json.at("last").get<double>()};
    b.why = json.value("why", "");
    if (json.contains("motion")) {
        const auto& m = json.at("motion");
        b.motion = {m.at("east_arcsec_h").get<double>(), m.at("north_arcsec_h").get<double>(),
                    Instant{m.at("at").get<double>()}};
    }
    if (json.contains("roll_deg"))
        b.roll_deg = json.at("roll_deg").get<double>();
    return b;
}

std::map<std::string, Evening::Fields> fieldsFromJson(const nlohmann::json& json,
                                                      const std::string& lastOptics) {
    if (!json.empty() && json.begin()->is_number())
        return {{lastOptics, json.get<Evening::Fields>()}};
    return json.get<std::map<std::string, Evening::Fields>>();
}
} // namespace

std::filesystem::path eveningPath(const std::filesystem::path& dataFolder) {
    return dataFolder / "evening.json";
}

Expected<Evening> readEvening(const std::filesystem::path& path) {
    const auto json = readJsonFile(path);
    if (!json)
        return tl::unexpected(json.error());
    Evening e;
    try {
        if (json->at("format") != eveningFormat)
            return problem(Text::say("%1 is of another format.").arg(path.string()),
                           Text::say("This program reads %1.").arg(eveningFormat),
                           Text::say("Move it away; a new one is begun."));
        if (json->contains("rig")) {
            auto rig = rigFromJson(json->at("rig"), "the rig of the last evening");
            if (!rig)
                return tl::unexpected(rig.error());
            e.rig = std::move(*rig);
        }
        if (json->contains("target")) {
            const auto& t = json->at("target");
            e.targetName = t.at("name").get<std::string>();
            e.target = placeFromJson(t);
        }
        if (json->contains("settings"))
            e.settings = settingsFromJson(json->at("settings"), e.rig ? e.rig->id : "");
        e.station = json->value("station", "");
        e.theme = json->value("theme", "");
        e.findings = json->value("findings", true);
        e.alarmSound = json->value("alarm_sound", true);
        e.windowPlace = json->value("window", "");
        if (json->contains("taught"))
            for (const auto& [rig, t] : json->at("taught").items())
                e.taught[rig] = taughtFromJson(t);
        if (json->contains("dec_reverses"))
            e.decReverses = json->at("dec_reverses").get<std::map<std::string, bool>>();
        if (json->contains("series_plan"))
            e.seriesPlan = fieldsFromJson(json->at("series_plan"), e.rig ? e.rig->opticsId : "");
        e.frameFolder = json->value("frame_folder", "");
        e.indexFolder = json->value("index_folder", "");
        if (json->contains("sightings"))
            e.sightings = json->at("sightings").get<std::map<std::string, Evening::Fields>>();
        if (json->contains("centring"))
            e.centring = fieldsFromJson(json->at("centring"), e.rig ? e.rig->opticsId : "");
        if (json->contains("focused"))
            for (const auto& [rig, cameras] : json->at("focused").items())
                for (const auto& [camera, runs] : cameras.items())
                    for (const auto& r : runs)
                        e.focused[rig][camera].push_back(focusedFromJson(r));
        if (json->contains("following"))
            for (const auto& t : json->at("following")) {
                const int frames = t.value("frames", 0);
                e.following.push_back(
                    {t.at("name").get<std::string>(), placeFromJson(t), std::clamp(frames, 0, 100000)});
            }
        if (json->contains("wanted_light_h"))
            e.wantedLight_h = json->at("wanted_light_h").get<std::map<std::string, double>>();
        if (json->contains("marks"))
            for (const auto& [mount, marks] : json->at("marks").items())
                for (const auto& m : marks)
                    e.marks[mount].push_back({Instant{m.at(0).get<double>()}, m.at(1).get<std::string>()});
        if (json->contains("broken_series"))
            e.broken = brokenFromJson(json->at("broken_series"));
        if (json->contains("targets"))
            for (const auto& t : json->at("targets")) {
                NotedTarget n;
                n.name = t.at("name").get<std::string>();
                n.place = placeFromJson(t);
                if (t.contains("angle_deg"))
                    n.angle_deg = t.at("angle_deg").get<double>();
                e.targets.push_back(std::move(n));
            }
    } catch (const nlohmann::json::exception& x) {
        return problem(Text::say("%1 cannot be understood.").arg(path.string()), std::string(x.what()) + ".",
                       Text::say("Move it away; a new one is begun."));
    }
    return e;
}

Expected<void> writeEvening(const std::filesystem::path& path, const Evening& e) {
    nlohmann::json json{
        {"format", eveningFormat},     {"station", e.station},          {"theme", e.theme},
        {"findings", e.findings},      {"window", e.windowPlace},       {"dec_reverses", e.decReverses},
        {"series_plan", e.seriesPlan}, {"frame_folder", e.frameFolder}, {"index_folder", e.indexFolder},
        {"alarm_sound", e.alarmSound}};
    if (e.rig)
        json["rig"] = rigToJson(*e.rig);
    if (e.target)
        json["target"] = placeToJson(e.targetName, *e.target);
    for (const auto& [rig, taught] : e.taught)
        json["taught"][rig] = taughtToJson(taught);
    json["centring"] = e.centring;
    json["sightings"] = e.sightings;
    for (const auto& [rig, cameras] : e.focused)
        for (const auto& [camera, runs] : cameras)
            for (const FocusedOnce& r : runs)
                json["focused"][rig][camera].push_back(focusedToJson(r));
    if (!e.wantedLight_h.empty())
        json["wanted_light_h"] = e.wantedLight_h;
    for (const auto& [mount, marks] : e.marks)
        for (const HardwareMark& m : marks)
            json["marks"][mount].push_back(nlohmann::json::array({m.day.unix_s, m.words}));
    if (e.broken)
        json["broken_series"] = brokenToJson(*e.broken);
    json["following"] = nlohmann::json::array();
    for (const FollowingTarget& t : e.following) {
        auto j = placeToJson(t.name, t.place);
        j["frames"] = t.frames;
        json["following"].push_back(j);
    }
    json["targets"] = nlohmann::json::array();
    for (const NotedTarget& t : e.targets) {
        auto j = placeToJson(t.name, t.place);
        if (t.angle_deg)
            j["angle_deg"] = *t.angle_deg;
        json["targets"].push_back(j);
    }
    json["settings"] = nlohmann::json::object();
    for (const auto& [rig, settings] : e.settings)
        for (const Evening::Setting& s : settings)
            json["settings"][rig].push_back(
                {{"id", s.id}, {"value", s.value}, {"origin", s.origin}, {"reason", s.reason}});
    return writeJsonFile(path, json);
}

} // namespace nordstjerna
