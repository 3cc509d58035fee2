#include "edge/store/folder_owner.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <fstream>
#include <random>

#include "edge/store/append_file.h"

namespace nordstjerna {

FolderOwner::FolderOwner(std::filesystem::path folder)
    : lockFile_(folder / "evening.lock"), nameFile_(folder / "evening.owner") {
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    std::random_device source;
    token_ = std::to_string(::getpid()) + " " + std::to_string(source()) + std::to_string(source()) + "\n";
    if (grasp())
        static_cast<void>(writeWhole(nameFile_, token_, true));
}

FolderOwner::~FolderOwner() {
    letGo();
}

bool FolderOwner::grasp() {
    const int file = ::open(lockFile_.c_str(), O_CREAT | O_RDWR | O_CLOEXEC, 0644);
    if (file < 0)
        return false;
    if (::flock(file, LOCK_EX | LOCK_NB) != 0) {
        ::close(file);
        return false;
    }
    file_ = file;
    return true;
}

void FolderOwner::letGo() {
    if (file_ >= 0)
        ::close(file_);
    file_ = -1;
}

bool FolderOwner::named() const {
    std::ifstream file(nameFile_);
    std::string line;
    return std::getline(file, line) && line + "\n" == token_;
}

bool FolderOwner::owns() {
    const std::scoped_lock guard(lock_);
    if (file_ >= 0 && !named())
        letGo();
    else if (file_ < 0 && wanted_ && named() && grasp())
        wanted_ = false;
    return file_ >= 0;
}

void FolderOwner::takeOver() {
    const std::scoped_lock guard(lock_);
    wanted_ = true;
    static_cast<void>(writeWhole(nameFile_, token_, true));
    if (file_ < 0 && grasp())
        wanted_ = false;
}

int FolderOwner::otherProcess() const {
    std::ifstream file(nameFile_);
    int process = 0;
    file >> process;
    return file && process != static_cast<int>(::getpid()) ? process : 0;
}

} // namespace nordstjerna
