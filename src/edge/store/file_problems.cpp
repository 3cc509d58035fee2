#include "edge/store/file_problems.h"

#include <cerrno>
#include <cstring>
#include <fstream>

#include "core/base/format.h"

namespace nordstjerna {

tl::unexpected<Problem> existsAlready(const std::filesystem::path& path) {
    return problem(Text::say("%1 exists already.").arg(path.string()), Text::say("It was left as it is."),
                   Text::say("Choose another name."));
}

tl::unexpected<Problem> cannotWrite(const std::filesystem::path& path, int reason) {
    const Text what = Text::say("Cannot write %1.").arg(path.string());
    switch (reason) {
    case ENOSPC:
    case EDQUOT:
        return problem(what, Text::say("The disk is full."),
                       Text::say("Free some space, or choose another disk."));
    case EACCES:
    case EPERM:
    case EROFS:
        return problem(what, Text::say("This folder may not be written to."),
                       Text::say("Choose another folder."));
    case ENOENT:
    case ENOTDIR:
        return problem(what, Text::say("There is no such folder."), Text::say("Check the folder."));
    case 0:
        return problem(what, Text::say("The folder may not exist or the disk may be full."),
                       Text::say("Check the folder and the free space."));
    default:
        return problem(what, Text::say("The system says: %1.").arg(std::strerror(reason)),
                       Text::say("Check the folder and the disk."));
    }
}

Expected<void> ordinaryOrAbsent(const std::filesystem::path& path, const Text& remedy) {
    std::error_code error;
    const auto status = std::filesystem::status(path, error);
    if (std::filesystem::exists(status) && !std::filesystem::is_regular_file(status))
        return problem(Text::say("Cannot open %1.").arg(path.string()),
                       std::filesystem::is_directory(status) ? Text::say("It is a folder.")
                                                             : Text::say("It is no ordinary file."),
                       remedy);
    return {};
}

Expected<std::string> readWhole(const std::filesystem::path& path, size_t most_bytes) {
    std::error_code error;
    if (!std::filesystem::exists(path, error))
        return problem(Text::say("Cannot open %1.").arg(path.string()), Text::say("There is no such file."),
                       Text::say("Check the name."));
    if (const auto ordinary = ordinaryOrAbsent(path, Text::say("Name a file.")); !ordinary)
        return tl::unexpected(ordinary.error());
    const auto size = std::filesystem::file_size(path, error);
    if (!error && size > most_bytes)
        return problem(Text::say("%1 is too large.").arg(path.string()),
                       Text::say("%1 MB; files of this kind have at most %2 MB.")
                           .arg(formatNumber(static_cast<double>(size) / 1e6, 1))
                           .arg(formatNumber(static_cast<double>(most_bytes) / 1e6, 0)),
                       Text::say("Choose another file."));
    std::ifstream file(path, std::ios::binary);
    std::string text(error ? 0 : size, '\0');
    if (!file || !file.read(text.data(), static_cast<std::streamsize>(text.size())))
        return problem(Text::say("Cannot read %1.").arg(path.string()),
                       Text::say("It may not be read, or the disk has an error."),
                       Text::say("Check its permissions."));
    return text;
}

} // namespace nordstjerna
