// Mounts, optics and sites of this person, each kept by itself: one JSON file each, in the folders "mounts",
// "optics" and "sites", with the keys that the part has in a rig's file.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/rig/rig_parts.h"

namespace nordstjerna {

// Of rigs and of their parts alike.
struct Listed {
    std::string id;
    std::string name;
};

class RigDrawers {
public:
    explicit RigDrawers(std::filesystem::path dataFolder) : folder_(std::move(dataFolder)) {}

    // By name. Files that cannot be read are left out.
    std::vector<Listed> list(RigPart part) const;
    // Puts the kept part in the place of the rig's own. Fails where there is none of that identity, or it
    // cannot be read; the rig is then as it was.
    Expected<void> take(RigPart part, const std::string& id, Rig& into) const;
    // The newest of each part that is kept, in the place of the rig's own.
    void refresh(Rig& rig) const;
    // All parts of a rig; of those that are as kept already nothing is written.
    Expected<void> keep(const Rig& rig) const;
    // Only those that are not kept yet: parts of rigs from before there were drawers.
    Expected<void> keepMissing(const Rig& rig) const;
    Expected<void> remove(RigPart part, const std::string& id) const;

private:
    std::filesystem::path fileOf(RigPart part, const std::string& id) const;
    Expected<void> write(const Rig& rig, RigPart part) const;
    std::filesystem::path folder_;
};

} // namespace nordstjerna
