#include "edge/store/file_problems.h"

#include <cerrno>
#include <cstring>
#include <fstream>

#include "core/base/format.h"

namespace nordstjerna {

tl::unexpected<Problem> existsAlready(const std::filesystem::path& path) {
    return problem(path.string() + " exists already.", "It was left as it is.", "Choose another name.");
}

tl::unexpected<Problem> cannotWrite(const std::filesystem::path& path, int reason) {
    const std::string what = "Cannot write " + path.string() + ".";
    switch (reason) {
    case ENOSPC:
    case EDQUOT:
        return problem(what, "The disk is full.", "Free some space, or choose another disk.");
    case EACCES:
    case EPERM:
    case EROFS:
        return problem(what, "This folder may not be written to.", "Choose another folder.");
    case ENOENT:
    case ENOTDIR:
        return problem(what, "There is no such folder.", "Check the folder.");
    case 0:
        return problem(what, "The folder may not exist or the disk may be full.",
                       "Check the folder and the free space.");
    default:
        return problem(what, std::string("The system says: ") + std::strerror(reason) + ".",
                       "Check the folder and the disk.");
    }
}

Expected<void> ordinaryOrAbsent(const std::filesystem::path& path, const std::string& remedy) {
    std::error_code error;
    const auto status = std::filesystem::status(path, error);
    if (std::filesystem::exists(status) && !std::filesystem::is_regular_file(status))
        return problem("Cannot open " + path.string() + ".",
                       std::filesystem::is_directory(status) ? "It is a folder." : "It is no ordinary file.",
                       remedy);
    return {};
}

Expected<std::string> readWhole(const std::filesystem::path& path, size_t most_bytes) {
    std::error_code error;
    if (!std::filesystem::exists(path, error))
        return problem("Cannot open " + path.string() + ".", "There is no such file.", "Check the name.");
    if (const auto ordinary = ordinaryOrAbsent(path, "Name a file."); !ordinary)
        return tl::unexpected(ordinary.error());
    const auto size = std::filesystem::file_size(path, error);
    if (!error && size > most_bytes)
        return problem(path.string() + " is too large.",
                       formatNumber(static_cast<double>(size) / 1e6, 1) +
                           " MB; files of this kind have at most " +
                           formatNumber(static_cast<double>(most_bytes) / 1e6, 0) + " MB.",
                       "Choose another file.");
    std::ifstream file(path, std::ios::binary);
    std::string text(error ? 0 : size, '\0');
    if (!file || !file.read(text.data(), static_cast<std::streamsize>(text.size())))
        return problem("Cannot read " + path.string() + ".", "It may not be read, or the disk has an error.",
                       "Check its permissions.");
    return text;
}

} // namespace nordstjerna
