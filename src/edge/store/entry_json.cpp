#include "edge/store/entry_json.h"

#include <algorithm>
#include <cmath>

#include "edge/store/json_reader.h"
#include "edge/store/rig_file.h"

namespace nordstjerna {

namespace {
constexpr const char* entryFormat = "nordstjerna-entry 1";

std::optional<Weight> weightWith(const std::string& name) {
    for (Weight w : {Weight::act, Weight::look, Weight::know})
        if (name == weightName(w))
            return w;
    return std::nullopt;
}

Instant instantOf(const nlohmann::json& j, const char* key) {
    const auto t = parseInstant(j.at(key).get<std::string>());
    if (!t)
        throw std::invalid_argument(t.error().what.english());
    return *t;
}
} // namespace

nlohmann::json entryToJson(const LogEntry& e) {
    nlohmann::json j{{"format", entryFormat},
                     {"id", e.id},
                     {"kind", entryKindId(e.kind)},
                     {"night", formatInstant(e.night)},
                     {"started", formatInstant(e.started)},
                     {"session", e.session},
                     {"how", e.how},
                     {"rig_id", e.rigId},
                     {"rig_name", e.rigName},
                     {"target", e.target},
                     {"file", e.file},
                     {"note", e.note}};
    if (e.ended)
        j["ended"] = formatInstant(*e.ended);
    if (!e.detail.empty())
        j["detail"] = e.detail;
    if (e.rig)
        j["rig"] = rigToJson(*e.rig);
    nlohmann::json figures = nlohmann::json::array();
    for (const Figure& f : e.figures)
        if (std::isfinite(f.value.value) && std::isfinite(f.value.sigma))
            figures.push_back({{"name", f.name}, {"value", f.value.value}, {"sigma", f.value.sigma}});
    j["figures"] = figures;
    nlohmann::json findings = nlohmann::json::array();
    for (const Finding& f : e.findings)
        findings.push_back({{"id", f.id},
                            {"weight", weightName(f.weight)},
                            {"headline", f.headline.english()},
                            {"evidence", f.evidence.english()},
                            {"remedy", f.remedy.english()}});
    j["findings"] = findings;
    nlohmann::json changes = nlohmann::json::array();
    for (const SettingNote& c : e.changes)
        changes.push_back({{"when", formatInstant(c.when)},
                           {"setting", c.setting},
                           {"before", c.before},
                           {"after", c.after},
                           {"origin", c.origin},
                           {"reason", c.reason}});
    j["changes"] = changes;
    return j;
}

bool isEntryId(const std::string& id) {
    constexpr size_t longest = 120;
    return !id.empty() && id.size() <= longest && id.front() != '.' &&
           std::all_of(id.begin(), id.end(), [](char c) {
               return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                      c == '-' || c == '_' || c == '.';
           });
}

Expected<LogEntry> entryFromJson(const nlohmann::json& j, const std::string& where) {
    try {
        LogEntry e;
        if (j.at("format").get<std::string>() != entryFormat)
            return problem(Text::say("%1 is no entry of the night log of this version.").arg(where), "",
                           Text::say("A newer program may read it."));
        const auto kind = entryKindWith(j.at("kind").get<std::string>());
        if (!kind)
            return problem(Text::say("%1 is of a kind that is not known here.").arg(where),
                           Text::say("It says %1.").arg(jsonText(j.at("kind")).substr(0, 80)),
                           Text::say("A newer program may read it."));
        e.id = j.at("id").get<std::string>();
        e.kind = *kind;
        e.night = instantOf(j, "night");
        e.started = instantOf(j, "started");
        if (j.contains("ended"))
            e.ended = instantOf(j, "ended");
        for (const auto& [key, to] : {std::pair<const char*, std::string*>{"session", &e.session},
                                      {"how", &e.how},
                                      {"rig_id", &e.rigId},
                                      {"rig_name", &e.rigName},
                                      {"target", &e.target},
                                      {"file", &e.file},
                                      {"note", &e.note},
                                      {"detail", &e.detail}})
            if (j.contains(key))
                *to = j.at(key).get<std::string>();
        if (j.contains("rig"))
            if (auto rig = rigFromJson(j.at("rig"), where))
                e.rig = std::move(*rig);
        for (const nlohmann::json& f : j.value("figures", nlohmann::json::array()))
            e.figures.push_back({f.at("name").get<std::string>(),
                                 {f.at("value").get<double>(), f.at("sigma").get<double>()}});
        for (const nlohmann::json& f : j.value("findings", nlohmann::json::array())) {
            Finding finding;
            finding.id = f.at("id").get<std::string>();
            finding.weight = weightWith(f.at("weight").get<std::string>()).value_or(Weight::know);
            finding.headline = f.at("headline").get<std::string>();
            finding.evidence = f.at("evidence").get<std::string>();
            finding.remedy = f.at("remedy").get<std::string>();
            e.findings.push_back(std::move(finding));
        }
        for (const nlohmann::json& c : j.value("changes", nlohmann::json::array()))
            e.changes.push_back({instantOf(c, "when"), c.at("setting").get<std::string>(),
                                 c.at("before").get<double>(), c.at("after").get<double>(),
                                 c.at("origin").get<std::string>(), c.at("reason").get<std::string>()});
        if (!isEntryId(e.id))
            return problem(Text::say("%1 has no identity that can be used.").arg(where),
                           Text::say("It says \"%1\".").arg(e.id.substr(0, 60)),
                           Text::say("Remove the file."));
        return e;
    } catch (const std::exception& broken) {
        return problem(Text::say("%1 cannot be read.").arg(where), std::string(broken.what()) + ".",
                       Text::say("It is left out; the table it speaks of is not touched."));
    }
}

} // namespace nordstjerna
