// Names of files: from what people call things, and those that lie in a folder.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace nordstjerna {

// Letters, digits, "+" and "." of the text, all else as single "-"; never hidden, never longer than 80 bytes,
// so that no file system minds, and nothing in it leaves its folder. `otherwise` where nothing is left.
std::string plainName(const std::string& text, const std::string& otherwise);

// A name without ending for what is known by an identity: two identities never share one, whatever bytes they
// hold.
std::string fileNameOfId(const std::string& id);

// The files of a folder (and those below it) whose names end so, sorted. What cannot be read is left out:
// nothing is thrown.
std::vector<std::filesystem::path> filesIn(const std::filesystem::path& folder, const std::string& ending,
                                           bool below = false);

// The n-th name for one thing, where those before are taken: "run.csv", "run-2.csv", "run-3.csv" …
std::filesystem::path numbered(const std::filesystem::path& path, int n);
constexpr int mostNames = 1000;

// What `make(path)` gives under the first name that is not taken; where that fails for another reason than a
// file in the way, its error.
template <typename Make>
auto makeUnderFreeName(const std::filesystem::path& wanted, Make make) {
    for (int n = 1;; ++n) {
        const auto path = numbered(wanted, n);
        auto made = make(path);
        std::error_code error;
        if (made || n >= mostNames || !std::filesystem::exists(path, error))
            return made;
    }
}

// Moves a file that cannot be used out of the way, under a name of its own beside it: "evening.json" becomes
// "evening-kept-1.json". Its new path; empty where it could not be moved.
std::filesystem::path keepAside(const std::filesystem::path& path);

} // namespace nordstjerna
