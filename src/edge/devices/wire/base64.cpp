#include "edge/devices/wire/base64.h"

#include <algorithm>
#include <array>
#include <cstring>

namespace nordstjerna {

namespace {
constexpr std::string_view letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

constexpr signed char isBlank = -2;
constexpr signed char isWrong = -1;

constexpr std::array<signed char, 256> valueOf = [] {
    std::array<signed char, 256> v{};
    v.fill(isWrong);
    for (size_t i = 0; i < letters.size(); ++i)
        v[static_cast<unsigned char>(letters[i])] = static_cast<signed char>(i);
    for (const char c : {' ', '\t', '\r', '\n'})
        v[static_cast<unsigned char>(c)] = isBlank;
    return v;
}();

// Two letters for each twelve bits.
constexpr std::array<std::array<char, 2>, 4096> digitPairs = [] {
    std::array<std::array<char, 2>, 4096> p{};
    for (size_t i = 0; i < p.size(); ++i)
        p[i] = {letters[i >> 6], letters[i & 63U]};
    return p;
}();
} // namespace

std::string toBase64(std::string_view bytes) {
    std::string text((bytes.size() + 2) / 3 * 4, '=');
    char* out = text.data();
    const auto byte = [&](size_t i) { return static_cast<unsigned>(static_cast<unsigned char>(bytes[i])); };
    size_t i = 0;
    for (; i + 3 <= bytes.size(); i += 3, out += 4) {
        const unsigned group = byte(i) << 16 | byte(i + 1) << 8 | byte(i + 2);
        std::memcpy(out, digitPairs[group >> 12].data(), 2);
        std::memcpy(out + 2, digitPairs[group & 4095U].data(), 2);
    }
    if (const size_t left = bytes.size() - i; left > 0) {
        const unsigned group = byte(i) << 16 | (left > 1 ? byte(i + 1) << 8 : 0U);
        for (size_t k = 0; k <= left; ++k)
            out[k] = letters[group >> (18 - 6 * k) & 63U];
    }
    return text;
}

// As many groups of four letters as stand together; returns how many characters that were.
size_t FromBase64::takeGroups(std::string_view text, size_t most) {
    const size_t groups = std::min(text.size() / 4, (most - std::min(most, bytes_.size())) / 3);
    const size_t before = bytes_.size();
    bytes_.resize(before + 3 * groups);
    char* out = bytes_.data() + before;
    size_t done = 0;
    const auto value = [&](size_t i) { return int{valueOf[static_cast<unsigned char>(text[i])]}; };
    for (; done < groups; ++done, out += 3) {
        const size_t i = 4 * done;
        const int a = value(i), b = value(i + 1), c = value(i + 2), d = value(i + 3);
        if ((a | b | c | d) < 0)
            break;
        const int group = a << 18 | b << 12 | c << 6 | d;
        out[0] = static_cast<char>(group >> 16);
        out[1] = static_cast<char>(group >> 8);
        out[2] = static_cast<char>(group);
    }
    bytes_.resize(before + 3 * done);
    return 4 * done;
}

bool FromBase64::takeOne(char c, size_t most) {
    const signed char value = valueOf[static_cast<unsigned char>(c)];
    if (value == isBlank)
        return true;
    const bool padding = c == '=';
    if (padding ? count_ < 2 : value == isWrong || padded_ > 0)
        return false;
    padded_ += padding;
    group_ = group_ << 6 | (padding ? 0U : static_cast<unsigned>(value));
    if (++count_ < 4)
        return true;
    const int own = 3 - padded_;
    if (bytes_.size() + static_cast<size_t>(own) > most)
        return false;
    for (int k = 0; k < own; ++k)
        bytes_ += static_cast<char>(group_ >> (16 - 8 * k) & 255U);
    group_ = 0;
    count_ = 0; // after padding nothing but blanks may follow: padded_ stays
    return true;
}

bool FromBase64::take(std::string_view text, size_t most) {
    for (size_t i = 0; i < text.size();) {
        if (count_ == 0 && padded_ == 0)
            i += takeGroups(text.substr(i), most);
        if (i < text.size() && !takeOne(text[i++], most))
            return false;
    }
    return true;
}

} // namespace nordstjerna
