// Who writes the evening and the rigs of a data folder: one program at a time, whoever was asked to last. A
// program that is killed lets go by itself. Thread-safe.
#pragma once

#include <filesystem>
#include <mutex>
#include <string>

namespace nordstjerna {

class FolderOwner {
public:
    // Takes the folder where nobody else has it.
    explicit FolderOwner(std::filesystem::path folder);
    ~FolderOwner();
    FolderOwner(const FolderOwner&) = delete;
    FolderOwner& operator=(const FolderOwner&) = delete;

    // Whether this program may write now. Another may have taken over since the last call.
    bool owns();
    // The person wants it here: the other program lets go when it looks next, within a second.
    void takeOver();
    // The process that has it, as it wrote itself; 0: not known.
    int otherProcess() const;

private:
    bool grasp();
    void letGo();
    bool named() const; // the folder says that it is ours
    std::filesystem::path lockFile_, nameFile_;
    std::string token_;
    mutable std::mutex lock_;
    int file_ = -1; // held while it is ours
    bool wanted_ = false;
};

} // namespace nordstjerna
