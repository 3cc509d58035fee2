#include "edge/devices/wire/base64.h"

#include <array>

namespace nordstjerna {

namespace {
constexpr std::string_view letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

constexpr signed char blank = -2;
constexpr signed char wrong = -1;

constexpr std::array<signed char, 256> values = [] {
    std::array<signed char, 256> v{};
    v.fill(wrong);
    for (size_t i = 0; i < letters.size(); ++i)
        v[static_cast<unsigned char>(letters[i])] = static_cast<signed char>(i);
    for (const char c : {' ', '\t', '\r', '\n'})
        v[static_cast<unsigned char>(c)] = blank;
    return v;
}();
} // namespace

std::string toBase64(std::string_view bytes) {
    std::string text;
    text.reserve((bytes.size() + 2) / 3 * 4);
    for (size_t i = 0; i < bytes.size(); i += 3) {
        const size_t n = std::min<size_t>(3, bytes.size() - i);
        unsigned group = 0;
        for (size_t k = 0; k < 3; ++k)
            group = group << 8 | (k < n ? static_cast<unsigned char>(bytes[i + k]) : 0U);
        for (size_t k = 0; k < 4; ++k)
            text += k <= n ? letters[group >> (18 - 6 * k) & 63U] : '=';
    }
    return text;
}

bool FromBase64::take(std::string_view text, size_t most) {
    for (const char c : text) {
        const signed char value = values[static_cast<unsigned char>(c)];
        if (value == blank)
            continue;
        const bool padding = c == '=';
        if (padding ? count_ < 2 : value == wrong || padded_ > 0)
            return false;
        padded_ += padding;
        group_ = group_ << 6 | (padding ? 0U : static_cast<unsigned>(value));
        if (++count_ < 4)
            continue;
        const int own = 3 - padded_;
        if (bytes_.size() + static_cast<size_t>(own) > most)
            return false;
        for (int k = 0; k < own; ++k)
            bytes_ += static_cast<char>(group_ >> (16 - 8 * k) & 255U);
        group_ = 0;
        count_ = 0; // after padding nothing but blanks may follow: padded_ stays
    }
    return true;
}

} // namespace nordstjerna
