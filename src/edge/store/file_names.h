// Names of files: from what people call things, and those that lie in a folder.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace nordstjerna {

// Letters, digits, "+" and "." of the text, all else as single "-"; never hidden, never longer than 80 bytes,
// so that no file system minds, and nothing in it leaves its folder. `otherwise` where nothing is left.
std::string plainName(const std::string& text, const std::string& otherwise);

// The files of a folder (and those below it) whose names end so, sorted. What cannot be read is left out:
// nothing is thrown.
std::vector<std::filesystem::path> filesIn(const std::filesystem::path& folder, const std::string& ending,
                                           bool below = false);

// Moves a file that cannot be used out of the way, under a name of its own beside it: "evening.json" becomes
// "evening-kept-1.json". Its new path; empty where it could not be moved.
std::filesystem::path keepAside(const std::filesystem::path& path);

} // namespace nordstjerna
