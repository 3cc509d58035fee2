// Every place of a piece of text by another one, from the left; what was put in is not looked at again.
#pragma once

#include <string>
#include <string_view>

namespace nordstjerna {

inline void replaceAll(std::string& text, std::string_view from, std::string_view to) {
    for (size_t at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size()))
        text.replace(at, from.size(), to);
}

} // namespace nordstjerna
