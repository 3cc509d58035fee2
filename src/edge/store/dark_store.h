// Master darks on disk: one FITS file of the mean and one of the bad-pixel map for each camera setting.
#pragma once

#include <filesystem>
#include <memory>
#include <vector>

#include "core/image/darks.h"

namespace nordstjerna {

class DarkStore {
public:
    // Reads what lies in the folder; unreadable files are left out and told in problems().
    static DarkStore open(const std::filesystem::path& folder);

    // Keeps it, in place of a former one of the same kind.
    Expected<void> add(const MasterDark& dark);
    const std::vector<std::shared_ptr<const MasterDark>>& darks() const { return darks_; }
    const std::vector<Problem>& problems() const { return problems_; }
    // The dark that fits; empty when there is none.
    std::shared_ptr<const MasterDark> match(const DarkKind& kind) const;

private:
    std::filesystem::path folder_;
    std::vector<std::shared_ptr<const MasterDark>> darks_;
    std::vector<Problem> problems_;
};

} // namespace nordstjerna
