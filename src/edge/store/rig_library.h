// The rigs of this person, each a mount with its optics and a site: one JSON file each, by its identity.
#pragma once

#include <filesystem>
#include <vector>

#include "edge/store/rig_drawers.h"

namespace nordstjerna {

// A new identity, different from all others.
std::string newRigId();

class RigLibrary {
public:
    explicit RigLibrary(std::filesystem::path folder) : folder_(std::move(folder)) {}

    // By name; files that cannot be read are left out and told in problems(). Of an identity that stands in
    // several files ours counts.
    std::vector<Listed> list();
    Expected<Rig> read(const std::string& id) const;
    // All that can be read.
    std::vector<Rig> all() const;
    Expected<void> keep(const Rig& rig) const;          // the rig has an identity
    Expected<void> remove(const std::string& id) const; // all files of it
    const std::vector<Problem>& problems() const { return problems_; }

private:
    struct Found {
        std::filesystem::path path;
        Expected<Rig> rig;
    };
    // Under whatever name: a person may put a file here.
    std::vector<Found> find() const;
    std::filesystem::path fileOf(const std::string& id) const; // as we name it
    std::filesystem::path folder_;
    std::vector<Problem> problems_;
};

} // namespace nordstjerna
