#include "edge/store/json_reader.h"

#include <stdexcept>

#include "edge/store/append_file.h"
#include "edge/store/file_problems.h"

namespace nordstjerna {

namespace {
constexpr size_t largestJson = 16UL << 20;
constexpr int deepest = 32;
constexpr size_t mostValues = 1000000;
} // namespace

Expected<nlohmann::json> parseJson(const std::string& text, const std::string& where) {
    size_t values = 0;
    bool tooDeep = false;
    try {
        // Deep nesting would exhaust the stack later on, when the value is copied or goes.
        auto json =
            nlohmann::json::parse(text, [&](int depth, nlohmann::json::parse_event_t, nlohmann::json&) {
                tooDeep = depth > deepest;
                if (tooDeep || ++values > mostValues)
                    throw std::length_error("limit");
                return true;
            });
        return json;
    } catch (const std::length_error&) {
        return problem(Text::say("%1 is not a Nordstjerna file.").arg(where),
                       tooDeep ? Text::say("It is nested more than %1 levels deep.").arg(deepest)
                               : Text::say("It holds more than a million values."),
                       Text::say("Choose another file."));
    } catch (const nlohmann::json::exception& e) {
        return problem(Text::say("%1 is not valid JSON.").arg(where), std::string(e.what()) + ".",
                       Text::say("Correct the file."));
    }
}

Expected<nlohmann::json> readJsonFile(const std::filesystem::path& path) {
    const auto text = readWhole(path, largestJson);
    if (!text)
        return tl::unexpected(text.error());
    return parseJson(*text, path.string());
}

Expected<void> writeJsonFile(const std::filesystem::path& path, const nlohmann::json& json) {
    std::error_code error;
    if (path.has_parent_path())
        std::filesystem::create_directories(path.parent_path(), error);
    return writeWhole(path, jsonText(json, 2) + "\n", true);
}

std::string jsonText(const nlohmann::json& json, int indent) {
    return json.dump(indent, ' ', false, nlohmann::json::error_handler_t::replace);
}

JsonReader::JsonReader(const nlohmann::json& object, std::string where)
    : object_(object), where_(std::move(where)) {
    if (!object_.is_object())
        setProblem({Text::say("There is no object where %1 should be.").arg(where_), "",
                    Text::say("Correct the file.")});
}

nlohmann::json JsonReader::child(const char* key) {
    seen_.insert(key);
    if (object_.is_object() && object_.contains(key))
        return object_.at(key);
    return nlohmann::json::object();
}

Expected<void> JsonReader::finish() {
    if (!problem_ && object_.is_object())
        for (const auto& entry : object_.items())
            if (!seen_.contains(entry.key())) {
                std::string known;
                for (const std::string& k : seen_)
                    known += (known.empty() ? "" : ", ") + k;
                setProblem({Text::say("Unknown key \"%1\" in %2.").arg(entry.key()).arg(where_),
                            Text::say("Known keys: %1.").arg(known), Text::say("Correct or remove it.")});
            }
    if (problem_)
        return tl::unexpected(*problem_);
    return {};
}

} // namespace nordstjerna
