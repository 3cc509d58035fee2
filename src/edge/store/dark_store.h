// Master darks on disk: one FITS file of the mean and one of the bad-pixel map for each camera setting. Their
// headers are read at once, their pixels when they are wanted: a season's darks are large.
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
    std::vector<DarkKind> kinds() const;
    const std::vector<Problem>& problems() const { return problems_; }
    // The dark that fits, or else the one nearest in exposure that may be scaled. Empty when there is none,
    // or its pixels cannot be read. Kept until another is wanted.
    struct Match {
        std::shared_ptr<const MasterDark> dark;
        double scale = 1.0;
    };
    Match match(const DarkKind& kind);

private:
    struct Kept {
        DarkKind kind;
        std::filesystem::path path;
        bool damaged = false;
    };
    std::shared_ptr<const MasterDark> load(Kept& kept);
    Expected<MasterDark> read(const std::filesystem::path& path) const;
    std::filesystem::path folder_;
    std::vector<Kept> darks_;
    std::filesystem::path loadedFrom_;
    std::shared_ptr<const MasterDark> loaded_;
    std::vector<Problem> problems_;
};

} // namespace nordstjerna
