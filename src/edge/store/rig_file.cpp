#include "edge/store/rig_file.h"

#include <cmath>

#include "core/rig/rig_fields.h"
#include "edge/store/json_reader.h"

namespace nordstjerna {

namespace {

constexpr const char* formatName = "nordstjerna-rig 1";

const char* formatOf(RigPart part) {
    return part == RigPart::mount    ? "nordstjerna-mount 1"
           : part == RigPart::optics ? "nordstjerna-optics 1"
                                     : "nordstjerna-site 1";
}

// Files from before each axis was asked for itself.
nlohmann::json brought(nlohmann::json j) {
    if (j.contains("mount") && j["mount"].is_object() && j["mount"].contains("encoders")) {
        nlohmann::json& mount = j["mount"];
        mount["encoder_ra"] = mount["encoder_dec"] = mount["encoders"];
        mount.erase("encoders");
    }
    return j;
}

// Reads each field under its key; the first mistake is kept.
class Reading : public RigVisitor {
public:
    Reading(const nlohmann::json& json, const std::string& where) {
        levels_.push_back({JsonReader(json, where), json, ""});
        levels_.back().reader.required("format", format);
    }
    std::string format;

    bool enter(const PartSpec& part, bool) override {
        Level& up = levels_.back();
        const nlohmann::json child = up.reader.child(part.key);
        if (part.mayLack && child.empty())
            return false;
        const std::string path = (up.path.empty() ? "" : up.path + ".") + part.key;
        levels_.push_back({JsonReader(child, path), child, path});
        return true;
    }
    void leave() override {
        const auto done = levels_.back().reader.finish();
        levels_.pop_back();
        if (!done)
            levels_.back().reader.setProblem(done.error());
    }
    void number(const FieldSpec& field, double& v) override { take(field, v); }
    void whole(const FieldSpec& field, int& v) override { take(field, v); }
    void flag(const FieldSpec& field, bool& v) override { take(field, v); }
    void text(const FieldSpec& field, std::string& v) override { take(field, v); }
    void numbers(const FieldSpec& field, std::vector<double>& v) override { take(field, v); }
    void names(const FieldSpec& field, std::vector<std::string>& v) override { take(field, v); }
    void horizon(const FieldSpec& field, HorizonProfile& profile) override {
        std::vector<std::vector<double>> pairs;
        take(field, pairs);
        std::vector<AltAz> points;
        for (const auto& p : pairs) {
            if (p.size() != 2)
                levels_.back().reader.setProblem(
                    {Text::say("A horizon point in %1 does not have two numbers.").arg(levels_.back().path),
                     Text::say("Points are [azimuth, altitude] in degrees."),
                     Text::say("Correct the point.")});
            else
                points.push_back({Angle::fromDeg(p[1]), Angle::fromDeg(p[0])});
        }
        profile = HorizonProfile(std::move(points));
    }
    Expected<void> finish() { return levels_.back().reader.finish(); }

private:
    struct Level {
        JsonReader reader;
        nlohmann::json json;
        std::string path;
    };
    template <typename T>
    void take(const FieldSpec& field, T& to) {
        JsonReader& reader = levels_.back().reader;
        field.needed ? reader.required(field.key, to) : reader.optional(field.key, to);
    }
    std::vector<Level> levels_;
};

class Writing : public RigVisitor {
public:
    explicit Writing(nlohmann::json& to) : at_{&to} {}

    bool enter(const PartSpec& part, bool there) override {
        if (there)
            at_.push_back(&((*at_.back())[part.key] = nlohmann::json::object()));
        return there;
    }
    void leave() override { at_.pop_back(); }
    void number(const FieldSpec& field, double& v) override { (*at_.back())[field.key] = v; }
    void whole(const FieldSpec& field, int& v) override { (*at_.back())[field.key] = v; }
    void flag(const FieldSpec& field, bool& v) override { (*at_.back())[field.key] = v; }
    void text(const FieldSpec& field, std::string& v) override { (*at_.back())[field.key] = v; }
    void numbers(const FieldSpec& field, std::vector<double>& v) override { (*at_.back())[field.key] = v; }
    void names(const FieldSpec& field, std::vector<std::string>& v) override { (*at_.back())[field.key] = v; }
    void horizon(const FieldSpec& field, HorizonProfile& profile) override {
        nlohmann::json points = nlohmann::json::array();
        for (const AltAz& p : profile.points())
            points.push_back({tidy(p.azimuth.deg()), tidy(p.altitude.deg())});
        (*at_.back())[field.key] = points;
    }

private:
    // Angles pass through radians; this keeps 58.35 from becoming 58.349999999999994 in the file.
    static double tidy(double v) { return std::round(v * 1e9) / 1e9; }
    std::vector<nlohmann::json*> at_;
};

Expected<void> finished(Reading& reading, const std::string& wanted, const std::string& where) {
    // What a newer program wrote has keys that are not known here: the format is the better reason.
    if (!reading.format.empty() && reading.format != wanted)
        return problem(Text::say("%1 is of format \"%2\".").arg(where).arg(reading.format),
                       Text::say("This program reads %1.").arg(wanted), Text::say("Use a newer program."));
    return reading.finish();
}

} // namespace

Expected<Rig> rigFromJson(const nlohmann::json& j, const std::string& where) {
    Rig rig;
    Reading reading(brought(j), where);
    describe(rig, reading);
    if (auto done = finished(reading, formatName, where); !done)
        return tl::unexpected(done.error());
    if (auto valid = validateRig(rig); !valid)
        return tl::unexpected(valid.error());
    // Files from before rigs had identities: the same name is the same rig.
    if (rig.id.empty())
        rig.id = "name:" + rig.name;
    takeApart(rig);
    return rig;
}

nlohmann::json rigPartToJson(const Rig& rig, RigPart part) {
    nlohmann::json written{{"format", formatOf(part)}};
    Rig copy = rig;
    Writing writing(written);
    describePart(copy, part, writing);
    return written;
}

Expected<void> readRigPart(const std::filesystem::path& path, RigPart part, Rig& into) {
    const auto json = readJsonFile(path);
    if (!json)
        return tl::unexpected(json.error());
    const std::string where = path.filename().string();
    Rig rig = into;
    Reading reading(brought(*json), where);
    describePart(rig, part, reading);
    if (auto done = finished(reading, formatOf(part), where); !done)
        return done;
    if (auto valid = validatePart(rig, part); !valid)
        return valid;
    if (partId(rig, part).empty())
        return problem(Text::say("%1 has no identity.").arg(where),
                       Text::say("Each %1 needs its own.").arg(partNoun(part)),
                       Text::say("Give it an \"id\"."));
    into = rig;
    return {};
}

Expected<void> writeRigPart(const std::filesystem::path& path, RigPart part, const Rig& rig) {
    return writeJsonFile(path, rigPartToJson(rig, part));
}

nlohmann::json rigToJson(const Rig& rig) {
    nlohmann::json written{{"format", formatName}};
    Rig copy = rig;
    Writing writing(written);
    describe(copy, writing);
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
