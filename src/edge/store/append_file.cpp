#include "edge/store/append_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <utility>

#include "edge/store/file_problems.h"

namespace nordstjerna {

Expected<AppendFile> AppendFile::create(const std::filesystem::path& path) {
    const int file = ::open(path.c_str(), O_CREAT | O_EXCL | O_WRONLY | O_CLOEXEC, 0644);
    if (file >= 0)
        return AppendFile(path, file);
    if (errno == EEXIST)
        return existsAlready(path);
    return cannotWrite(path, errno);
}

AppendFile::AppendFile(AppendFile&& o) noexcept
    : path_(std::move(o.path_)), file_(std::exchange(o.file_, -1)), length_(o.length_) {}

AppendFile& AppendFile::operator=(AppendFile&& o) noexcept {
    std::swap(path_, o.path_);
    std::swap(file_, o.file_);
    std::swap(length_, o.length_);
    return *this;
}

AppendFile::~AppendFile() {
    if (file_ >= 0)
        ::close(file_);
}

Expected<void> AppendFile::append(std::string_view piece) {
    // What a former failure may have left behind goes first.
    if (::ftruncate(file_, length_) != 0 || ::lseek(file_, length_, SEEK_SET) < 0)
        return cannotWrite(path_, errno);
    size_t done = 0;
    while (done < piece.size()) {
        const ssize_t n = ::write(file_, piece.data() + done, piece.size() - done);
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0) {
            const int why = n < 0 ? errno : ENOSPC;
            static_cast<void>(::ftruncate(file_, length_) == 0);
            return cannotWrite(path_, why);
        }
        done += static_cast<size_t>(n);
    }
    length_ += static_cast<long long>(piece.size());
    return {};
}

Expected<void> AppendFile::sync() {
    if (::fdatasync(file_) != 0 && errno != EINVAL && errno != EROFS)
        return cannotWrite(path_, errno);
    return {};
}

Expected<void> writeWhole(const std::filesystem::path& path, std::string_view content, bool replace) {
    std::error_code error;
    if (!replace && std::filesystem::exists(path, error))
        return existsAlready(path);
    const std::filesystem::path beside = path.string() + "." + std::to_string(::getpid()) + ".part";
    std::filesystem::remove(beside, error);
    auto file = AppendFile::create(beside);
    auto done = file ? file->append(content) : Expected<void>(tl::unexpected(file.error()));
    if (done)
        done = file->sync();
    if (done) {
        // A link does not replace what another program put there meanwhile; a file system without links must
        // do with the look from before.
        const bool linked = !replace && ::link(beside.c_str(), path.c_str()) == 0;
        if (!linked && !replace && errno == EEXIST)
            done = existsAlready(path);
        else if (!linked && ::rename(beside.c_str(), path.c_str()) != 0)
            done = cannotWrite(path, errno);
    }
    std::filesystem::remove(beside, error);
    return done;
}

} // namespace nordstjerna
