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
    // Each other byte by its number: two identities never share a file.
    std::string safe;
    for (const char c : id) {
        const auto byte = static_cast<unsigned char>(c);
        if ((byte < 0x80 && std::isalnum(byte)) || c == '-') {
            safe += c;
        } else {
            safe += '_';
            safe += "0123456789abcdef"[byte >> 4U];
            safe += "0123456789abcdef"[byte & 15U];
        }
    }
    return folder_ / (safe + ".json");
}

std::vector<RigLibrary::Found> RigLibrary::find() const {
    std::vector<Found> found;
    std::error_code error;
    for (const auto& entry : std::filesystem::directory_iterator(folder_, error))
        if (entry.path().extension() == ".json")
            found.push_back({entry.path(), readRig(entry.path())});
    return found;
}

std::vector<RigLibrary::Listed> RigLibrary::list() {
    problems_.clear();
    std::vector<Listed> rigs;
    std::error_code error;
    for (const Found& f : find())
        if (!f.rig)
            problems_.push_back(f.rig.error());
        else if (f.path == fileOf(f.rig->id) || !std::filesystem::exists(fileOf(f.rig->id), error))
            rigs.push_back({f.rig->id, f.rig->name});
    std::sort(rigs.begin(), rigs.end(), [](const Listed& a, const Listed& b) {
        return a.name != b.name ? a.name < b.name : a.id < b.id;
    });
    return rigs;
}

Expected<Rig> RigLibrary::read(const std::string& id) const {
    std::error_code error;
    if (!std::filesystem::exists(fileOf(id), error))
        for (const Found& f : find())
            if (f.rig && f.rig->id == id)
                return f.rig;
    return readRig(fileOf(id));
}

Expected<void> RigLibrary::keep(const Rig& rig) const {
    return writeRig(fileOf(rig.id), rig);
}

Expected<void> RigLibrary::remove(const std::string& id) const {
    std::error_code error;
    for (const Found& f : find())
        if (f.rig && f.rig->id == id)
            if (!std::filesystem::remove(f.path, error) && error)
                return problem("The rig could not be removed.", error.message() + ".",
                               "Check the data folder.");
    return {};
}

} // namespace nordstjerna
