#include "edge/store/append_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
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

namespace {
constexpr const char* unfinished = ".part";

// A folder's entry is as lasting as the folder on the disk. File systems that cannot do it say EINVAL.
Expected<void> syncAt(const std::filesystem::path& path, int flags) {
    const int file = ::open(path.c_str(), flags | O_CLOEXEC);
    if (file < 0)
        return cannotWrite(path, errno);
    const int done = ::fsync(file);
    const int why = errno;
    ::close(file);
    if (done != 0 && why != EINVAL && why != EROFS)
        return cannotWrite(path, why);
    return {};
}
} // namespace

std::filesystem::path besideOf(const std::filesystem::path& path) {
    std::string name = path.filename().string();
    constexpr size_t longest = 200; // a file system's limit, less what is added
    if (name.size() > longest)
        name.resize(longest);
    return path.parent_path() / ("." + name + "." + std::to_string(::getpid()) + unfinished);
}

Expected<void> publish(const std::filesystem::path& beside, const std::filesystem::path& path, bool replace) {
    auto done = syncAt(beside, O_RDONLY);
    if (done) {
        // A link does not replace what another program put there meanwhile; a file system without links must
        // do with a look.
        std::error_code error;
        const bool linked = !replace && ::link(beside.c_str(), path.c_str()) == 0;
        if (!linked && !replace && (errno == EEXIST || std::filesystem::exists(path, error)))
            done = existsAlready(path);
        else if (!linked && ::rename(beside.c_str(), path.c_str()) != 0)
            done = cannotWrite(path, errno);
    }
    std::error_code error;
    std::filesystem::remove(beside, error);
    if (!done)
        return done;
    const auto folder = path.parent_path();
    return syncAt(folder.empty() ? "." : folder, O_RDONLY | O_DIRECTORY);
}

void tidyBesides(const std::filesystem::path& folder) {
    std::error_code error;
    const auto now = std::filesystem::file_time_type::clock::now();
    for (std::filesystem::directory_iterator it(folder, error), end; !error && it != end;
         it.increment(error)) {
        const std::string name = it->path().filename().string();
        std::error_code own;
        if (name.starts_with(".") && name.ends_with(unfinished) &&
            now - it->last_write_time(own) > std::chrono::hours(1) && !own)
            std::filesystem::remove(it->path(), own);
    }
}

Expected<void> writeWhole(const std::filesystem::path& path, std::string_view content, bool replace) {
    std::error_code error;
    if (!replace && std::filesystem::exists(path, error))
        return existsAlready(path);
    const auto beside = besideOf(path);
    std::filesystem::remove(beside, error);
    auto file = AppendFile::create(beside);
    auto done = file ? file->append(content) : Expected<void>(tl::unexpected(file.error()));
    if (done)
        return publish(beside, path, replace);
    std::filesystem::remove(beside, error);
    return done;
}

} // namespace nordstjerna
