// Small letters of the Latin alphabet, whatever the locale; other signs stay as they are.
#pragma once

#include <string>
#include <string_view>

namespace nordstjerna {

inline std::string lowerCase(std::string_view text) {
    std::string small(text);
    for (char& c : small)
        if (c >= 'A' && c <= 'Z')
            c = static_cast<char>(c - 'A' + 'a');
    return small;
}

} // namespace nordstjerna
