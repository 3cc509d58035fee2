#include "edge/store/file_names.h"

#include <algorithm>
#include <cctype>
#include <cstdint>

namespace nordstjerna {

std::string plainName(const std::string& text, const std::string& otherwise) {
    constexpr size_t longest = 80;
    std::string name;
    for (const char c : text) {
        // Not by the locale: a byte of a longer letter is no letter.
        const bool plain =
            (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '+';
        if (plain || (c == '.' && !name.empty() && name.back() != '.'))
            name += c;
        else if (!name.empty() && name.back() != '-')
            name += '-';
        if (name.size() == longest)
            break;
    }
    while (!name.empty() && (name.back() == '-' || name.back() == '.'))
        name.pop_back();
    return name.empty() ? otherwise : name;
}

namespace {
template <typename Iterator>
void collect(const std::filesystem::path& folder, const std::string& ending,
             std::vector<std::filesystem::path>& list) {
    std::error_code error;
    for (Iterator at(folder, std::filesystem::directory_options::skip_permission_denied, error), end;
         !error && at != end; at.increment(error)) {
        std::error_code own;
        if (at->is_regular_file(own) && at->path().string().ends_with(ending))
            list.push_back(at->path());
    }
}
} // namespace

std::vector<std::filesystem::path> filesIn(const std::filesystem::path& folder, const std::string& ending,
                                           bool below) {
    std::vector<std::filesystem::path> list;
    if (below)
        collect<std::filesystem::recursive_directory_iterator>(folder, ending, list);
    else
        collect<std::filesystem::directory_iterator>(folder, ending, list);
    std::sort(list.begin(), list.end());
    return list;
}

std::filesystem::path numbered(const std::filesystem::path& path, int n) {
    auto other = path;
    if (n > 1)
        other.replace_filename(path.stem().string() + "-" + std::to_string(n) + path.extension().string());
    return other;
}

std::filesystem::path keepAside(const std::filesystem::path& path) {
    for (int n = 1; n < mostNames; ++n) {
        auto aside = path;
        aside.replace_filename(path.stem().string() + "-kept-" + std::to_string(n) +
                               path.extension().string());
        std::error_code error;
        if (std::filesystem::exists(aside, error))
            continue;
        std::filesystem::rename(path, aside, error);
        return error ? std::filesystem::path() : aside;
    }
    return {};
}

std::string fileNameOfId(const std::string& id) {
    // Each other byte by its number: two identities never share a file.
    std::string safe;
    for (const char c : id) {
        const auto byte = static_cast<unsigned char>(c);
        if ((byte < 0x80 && std::isalnum(byte)) || c == '-') {
            safe += c;
        } else {
            safe += '_';
            safe += "0123456789abcdef"[byte >> 4U];
            safe += "0123456789abcdef"[byte & 15U];
        }
    }
    // A name has its limits; what is cut off is told apart by its hash.
    constexpr size_t longest = 120;
    if (safe.size() > longest) {
        std::uint64_t hash = 14695981039346656037ULL; // FNV-1a (Fowler, Noll, Vo)
        for (const char c : id)
            hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
        safe.resize(longest);
        safe += '-';
        for (int k = 0; k < 16; ++k, hash >>= 4U)
            safe += "0123456789abcdef"[hash & 15U];
    }
    return safe;
}

} // namespace nordstjerna
