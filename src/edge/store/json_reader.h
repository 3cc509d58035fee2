// Strict reading of our JSON files: every key must be known, every value of the right kind, and the first
// mistake is reported with its place.
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>
#include <string>

#include "core/base/problem.h"

namespace nordstjerna {

// Files of ours: at most 16 MB, a million values, 32 levels.
Expected<nlohmann::json> readJsonFile(const std::filesystem::path& path);
// Writes beside the file and renames, so that a crash leaves the old one.
Expected<void> writeJsonFile(const std::filesystem::path& path, const nlohmann::json& json);

Expected<nlohmann::json> parseJson(const std::string& text, const std::string& where);
// What is no UTF-8 (names of files may be anything) is replaced, never thrown about.
std::string jsonText(const nlohmann::json& json, int indent = -1);

// Reads one object. The first problem sticks; finish() adds unknown keys to what can be wrong.
class JsonReader {
public:
    JsonReader(const nlohmann::json& object, std::string where);

    template <typename T>
    JsonReader& optional(const char* key, T& to) {
        seen_.insert(key);
        if (!problem_ && object_.is_object() && object_.contains(key))
            assign(key, to);
        return *this;
    }
    template <typename T>
    JsonReader& required(const char* key, T& to) {
        if (!problem_ && (!object_.is_object() || !object_.contains(key)))
            setProblem({Text::say("\"%1\" is missing in %2.").arg(key).arg(where_),
                        Text::say("It has no default."), Text::say("Add it.")});
        return optional(key, to);
    }
    // A nested object for its own reader; an empty one when absent.
    nlohmann::json child(const char* key);
    void setProblem(Problem p) {
        if (!problem_)
            problem_ = std::move(p);
    }
    Expected<void> finish();
    // What was read, where nothing was wrong with it.
    template <typename T>
    Expected<T> finish(T read) {
        if (auto done = finish(); !done)
            return tl::unexpected(done.error());
        return read;
    }

private:
    template <typename T>
    void assign(const char* key, T& to) {
        try {
            to = object_.at(key).template get<T>();
        } catch (const nlohmann::json::exception&) {
            setProblem({Text::say("\"%1\" in %2 has the wrong kind of value: %3.")
                            .arg(key)
                            .arg(where_)
                            .arg(jsonText(object_.at(key)).substr(0, 80)),
                        "", Text::say("Correct the value.")});
        }
    }
    nlohmann::json object_;
    std::string where_;
    std::set<std::string> seen_;
    std::optional<Problem> problem_;
};

} // namespace nordstjerna
