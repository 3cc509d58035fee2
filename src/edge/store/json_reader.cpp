#include "edge/store/json_reader.h"

#include <fstream>

namespace nordstjerna {

Expected<nlohmann::json> readJsonFile(const std::filesystem::path& path) {
    std::ifstream file(path);
    if (!file)
        return problem("Cannot open " + path.string() + ".", "The file does not exist or may not be read.",
                       "Check the name.");
    try {
        return nlohmann::json::parse(file);
    } catch (const nlohmann::json::exception& e) {
        return problem(path.string() + " is not valid JSON.", std::string(e.what()) + ".",
                       "Correct the file.");
    }
}

Expected<void> writeJsonFile(const std::filesystem::path& path, const nlohmann::json& json) {
    const std::filesystem::path beside = path.string() + ".part";
    std::error_code error;
    if (path.has_parent_path())
        std::filesystem::create_directories(path.parent_path(), error);
    {
        std::ofstream file(beside);
        file << json.dump(2) << '\n';
        file.flush();
        if (!file)
            return problem("Cannot write " + path.string() + ".",
                           "The folder may not be writable or the disk is full.",
                           "Check the folder and the free space.");
    }
    std::filesystem::rename(beside, path, error);
    if (error)
        return problem("Cannot write " + path.string() + ".", error.message() + ".", "Check the folder.");
    return {};
}

JsonReader::JsonReader(const nlohmann::json& object, std::string where)
    : object_(object), where_(std::move(where)) {
    if (!object_.is_object())
        setProblem({"There is no object where " + where_ + " should be.", "", "Correct the file."});
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
                setProblem({"Unknown key \"" + entry.key() + "\" in " + where_ + ".",
                            "Known keys: " + known + ".", "Correct or remove it."});
            }
    if (problem_)
        return tl::unexpected(*problem_);
    return {};
}

} // namespace nordstjerna
