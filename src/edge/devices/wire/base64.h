// Base 64 (RFC 4648), as BLOBs travel.
#pragma once

#include <string>
#include <string_view>

namespace nordstjerna {

std::string toBase64(std::string_view bytes);

// Takes text piece by piece. Blanks and line ends are left out.
class FromBase64 {
public:
    // False when something else stands there, or when more than `most` bytes would come out.
    bool take(std::string_view text, size_t most);
    // False when the text ended within a group.
    bool whole() const { return count_ == 0; }
    std::string& bytes() { return bytes_; }

private:
    size_t takeGroups(std::string_view text, size_t most);
    bool takeOne(char c, size_t most);
    std::string bytes_;
    unsigned group_ = 0;
    int count_ = 0;  // of characters in the group
    int padded_ = 0; // of them "="
};

} // namespace nordstjerna
