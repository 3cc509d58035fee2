#include "edge/store/rig_library.h"

#include <algorithm>
#include <cctype>
#include <random>

#include "edge/store/file_names.h"
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
    // A name has its limits; what is cut off is told apart by its hash.
    constexpr size_t longest = 120;
    if (safe.size() > longest) {
        std::uint64_t hash = 14695981039346656037ULL; // FNV-1a (Fowler, Noll, Vo)
        for (const char c : id)
            hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
        safe.resize(longest);
        safe += '-';
        for (int k = 0; k < 16; ++k, hash >>= 4U)
            safe += "0123456789abcdef"[hash & 15U];
    }
    return folder_ / (safe + ".json");
}

std::vector<RigLibrary::Found> RigLibrary::find() const {
    std::vector<Found> found;
    for (const auto& path : filesIn(folder_, ".json"))
        if (path.filename().string().find("-kept-") == std::string::npos)
            found.push_back({path, readRig(path)});
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
    // What a newer program wrote, or a disk damaged, is not written over.
    const auto path = fileOf(rig.id);
    std::error_code error;
    if (std::filesystem::exists(path, error) && !readRig(path))
        keepAside(path);
    return writeRig(path, rig);
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
