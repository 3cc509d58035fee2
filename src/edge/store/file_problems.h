// What can go wrong with any file that is written.
#pragma once

#include <filesystem>

#include "core/base/problem.h"

namespace nordstjerna {

inline tl::unexpected<Problem> existsAlready(const std::filesystem::path& path) {
    return problem(path.string() + " exists already.", "It was left as it is.", "Choose another name.");
}

inline tl::unexpected<Problem> cannotWrite(const std::filesystem::path& path) {
    return problem("Cannot write " + path.string() + ".", "The folder may not exist or the disk may be full.",
                   "Check the folder and the free space.");
}

} // namespace nordstjerna
