// What can go wrong with any file that is read or written.
#pragma once

#include <filesystem>

#include "core/base/problem.h"

namespace nordstjerna {

tl::unexpected<Problem> existsAlready(const std::filesystem::path& path);
// With the system's reason (errno); 0: not known.
tl::unexpected<Problem> cannotWrite(const std::filesystem::path& path, int reason = 0);

// Fails for folders, devices and the like; not where nothing is.
Expected<void> ordinaryOrAbsent(const std::filesystem::path& path, const Text& remedy);

// The whole of a file for a parser. Fails for folders, devices and the like, for what may not be read, and
// for files larger than any of its kind.
Expected<std::string> readWhole(const std::filesystem::path& path, size_t most_bytes);

} // namespace nordstjerna
