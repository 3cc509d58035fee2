#include "edge/store/rig_library.h"

#include <algorithm>
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
    return folder_ / (fileNameOfId(id) + ".json");
}

std::vector<RigLibrary::Found> RigLibrary::find() const {
    std::vector<Found> found;
    for (const auto& path : filesIn(folder_, ".json"))
        if (path.filename().string().find("-kept-") == std::string::npos)
            found.push_back({path, readRig(path)});
    return found;
}

std::vector<Listed> RigLibrary::list() {
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

std::vector<Rig> RigLibrary::all() const {
    std::vector<Rig> rigs;
    for (Found& f : find())
        if (f.rig)
            rigs.push_back(std::move(*f.rig));
    return rigs;
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
                return problem(Text::say("The rig could not be removed."), error.message() + ".",
                               Text::say("Check the data folder."));
    return {};
}

} // namespace nordstjerna
