// A file that grows by whole pieces. Either all of a piece is in it or nothing: a write that fails half-way
// is cut back, and the next one tries again at the same place.
#pragma once

#include <filesystem>
#include <string_view>

#include "core/base/problem.h"

namespace nordstjerna {

class AppendFile {
public:
    AppendFile() = default;
    // Makes a new file; one that exists is left alone, whoever made it and however shortly before.
    static Expected<AppendFile> create(const std::filesystem::path& path);
    AppendFile(AppendFile&& other) noexcept;
    AppendFile& operator=(AppendFile&& other) noexcept;
    ~AppendFile();

    Expected<void> append(std::string_view piece);
    // Down to the disk itself, so that a power cut spares it. Slow: some milliseconds and more.
    Expected<void> sync();
    const std::filesystem::path& path() const { return path_; }

private:
    AppendFile(std::filesystem::path path, int file) : path_(std::move(path)), file_(file) {}
    std::filesystem::path path_;
    int file_ = -1;
    long long length_ = 0; // of the whole pieces
};

// Where a file is made before it has its name: hidden, in the same folder, of this process alone.
std::filesystem::path besideOf(const std::filesystem::path& path);
// Gives what was made there its name, once it is on the disk itself; the folder's own entry too. Without
// `replace`, a file that exists is left alone. What was made beside is gone afterwards, however it went.
Expected<void> publish(const std::filesystem::path& beside, const std::filesystem::path& path, bool replace);
// Takes away what programs that were killed left behind in a folder more than an hour ago.
void tidyBesides(const std::filesystem::path& folder);

// Writes a whole file: beside it first, then under its name, so that a failure leaves what was there. Without
// `replace`, a file that exists is left alone.
Expected<void> writeWhole(const std::filesystem::path& path, std::string_view content, bool replace);

} // namespace nordstjerna
