#include "edge/store/rig_library.h"

#include <algorithm>
#include <cctype>
#include <random>

#include "edge/store/rig_file.h"

namespace nordstjerna {

std::string newRigId() {
    std::random_device entropy;
    std::string id;
    for (int i = 0; i < 4; ++i) {
        std::uint32_t bits = entropy();
        for (int k = 0; k < 4; ++k, bits >>= 8)
            id += "0123456789abcdefghijklmnopqrstuv"[bits & 31U];
    }
    return id;
}

std::filesystem::path RigLibrary::fileOf(const std::string& id) const {
    std::string safe = id;
    for (char& c : safe)
        if (!std::isalnum(static_cast<unsigned char>(c)) && c != '-' && c != '_')
            c = '_';
    return folder_ / (safe + ".json");
}

std::vector<RigLibrary::Listed> RigLibrary::list() {
    problems_.clear();
    std::vector<Listed> rigs;
    std::error_code error;
    for (const auto& entry : std::filesystem::directory_iterator(folder_, error)) {
        if (entry.path().extension() != ".json")
            continue;
        if (const auto rig = readRig(entry.path()))
            rigs.push_back({rig->id, rig->name});
        else
            problems_.push_back(rig.error());
    }
    std::sort(rigs.begin(), rigs.end(), [](const Listed& a, const Listed& b) {
        return a.name != b.name ? a.name < b.name : a.id < b.id;
    });
    return rigs;
}

Expected<Rig> RigLibrary::read(const std::string& id) const {
    return readRig(fileOf(id));
}

Expected<void> RigLibrary::keep(const Rig& rig) const {
    return writeRig(fileOf(rig.id), rig);
}

Expected<void> RigLibrary::remove(const std::string& id) const {
    std::error_code error;
    std::filesystem::remove(fileOf(id), error);
    if (error)
        return problem("The rig could not be removed.", error.message() + ".", "Check the data folder.");
    return {};
}

} // namespace nordstjerna
