#include "edge/store/rig_drawers.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "edge/store/file_names.h"
#include "edge/store/rig_file.h"

namespace nordstjerna {

namespace {

const char* folderOf(RigPart part) {
    return part == RigPart::mount ? "mounts" : part == RigPart::optics ? "optics" : "sites";
}

} // namespace

std::filesystem::path RigDrawers::fileOf(RigPart part, const std::string& id) const {
    return folder_ / folderOf(part) / (fileNameOfId(id) + ".json");
}

std::vector<Listed> RigDrawers::list(RigPart part) const {
    std::vector<Listed> list;
    for (const auto& path : filesIn(folder_ / folderOf(part), ".json"))
        if (Rig rig; readRigPart(path, part, rig))
            list.push_back({partId(rig, part), partName(rig, part)});
    std::sort(list.begin(), list.end(), [](const Listed& a, const Listed& b) {
        return a.name != b.name ? a.name < b.name : a.id < b.id;
    });
    return list;
}

Expected<void> RigDrawers::take(RigPart part, const std::string& id, Rig& into) const {
    std::error_code error;
    const auto path = fileOf(part, id);
    if (!std::filesystem::exists(path, error))
        return problem(Text::say("This %1 is not in the data folder any more.").arg(partNoun(part)),
                       Text::say("There is no file %1.").arg(path.string()),
                       Text::say("Choose another one."));
    Rig read = into;
    if (auto done = readRigPart(path, part, read); !done)
        return done;
    takePart(into, read, part);
    return {};
}

void RigDrawers::refresh(Rig& rig) const {
    for (const RigPart part : rigParts) {
        const std::string id = partId(rig, part);
        static_cast<void>(take(part, id, rig)); // what is not kept stays as the rig has it
    }
}

Expected<void> RigDrawers::write(const Rig& rig, RigPart part) const {
    const auto path = fileOf(part, partId(rig, part));
    std::error_code error;
    if (std::filesystem::exists(path, error)) {
        if (Rig kept; readRigPart(path, part, kept)) {
            if (rigPartToJson(kept, part) == rigPartToJson(rig, part))
                return {};
        } else {
            keepAside(path); // of a newer program, or damaged: not written over
        }
    }
    return writeRigPart(path, part, rig);
}

Expected<void> RigDrawers::keep(const Rig& rig) const {
    for (const RigPart part : rigParts)
        if (auto done = write(rig, part); !done)
            return done;
    return {};
}

Expected<void> RigDrawers::keepMissing(const Rig& rig) const {
    std::error_code error;
    for (const RigPart part : rigParts)
        if (!std::filesystem::exists(fileOf(part, partId(rig, part)), error))
            if (auto done = write(rig, part); !done)
                return done;
    return {};
}

Expected<void> RigDrawers::remove(RigPart part, const std::string& id) const {
    std::error_code error;
    if (!std::filesystem::remove(fileOf(part, id), error) && error)
        return problem(Text::say("The %1 could not be removed.").arg(partNoun(part)), error.message() + ".",
                       Text::say("Check the data folder."));
    return {};
}

} // namespace nordstjerna
