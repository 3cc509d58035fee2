#include "edge/devices/wire/wire_words.h"

#include <array>
#include <cmath>

#include "core/base/number_text.h"

namespace nordstjerna {

namespace {
template <typename Enum, size_t n>
using Words = std::array<std::pair<Enum, const char*>, n>;

constexpr Words<WireKind, 5> kindWords{{{WireKind::text, "Text"},
                                        {WireKind::number, "Number"},
                                        {WireKind::switches, "Switch"},
                                        {WireKind::lights, "Light"},
                                        {WireKind::blob, "BLOB"}}};
constexpr Words<WireState, 4> states{{{WireState::idle, "Idle"},
                                      {WireState::ok, "Ok"},
                                      {WireState::busy, "Busy"},
                                      {WireState::alert, "Alert"}}};
constexpr Words<WireMessage::Blobs, 3> blobWords{{{WireMessage::Blobs::never, "Never"},
                                                  {WireMessage::Blobs::also, "Also"},
                                                  {WireMessage::Blobs::only, "Only"}}};

const char* wordOf(const auto& words, auto wanted) {
    for (const auto& [value, word] : words)
        if (value == wanted)
            return word;
    return "";
}

template <typename Enum, size_t n>
std::optional<Enum> meaningOf(const Words<Enum, n>& words, std::string_view wanted) {
    for (const auto& [value, word] : words)
        if (word == wanted)
            return value;
    return std::nullopt;
}
} // namespace

const char* wireWord(WireKind kind) {
    return wordOf(kindWords, kind);
}
const char* wireWord(WireState state) {
    return wordOf(states, state);
}
const char* wireWord(WireMessage::Blobs how) {
    return wordOf(blobWords, how);
}

std::optional<WireKind> wireKind(std::string_view word) {
    return meaningOf(kindWords, word);
}
std::optional<WireState> wireState(std::string_view word) {
    return meaningOf(states, word);
}
std::optional<WireMessage::Blobs> wireBlobs(std::string_view word) {
    return meaningOf(blobWords, word);
}

std::optional<double> wireNumber(std::string_view text) {
    const bool negative = text.find('-') != std::string_view::npos;
    double size = 0.0, unit = 1.0;
    size_t at = 0;
    for (int parts = 0; parts < 3; ++parts) {
        const auto read = readNumber(text.substr(at));
        if (!read || !std::isfinite(read->value))
            return std::nullopt;
        at += read->length;
        if (parts == 0 && at == text.size())
            return read->value;
        size += std::abs(read->value) * unit;
        unit /= 60.0;
        if (at == text.size())
            return negative ? -size : size;
        if (text[at] != ':' && text[at] != ' ' && text[at] != ';')
            return std::nullopt;
        ++at;
    }
    return std::nullopt;
}

} // namespace nordstjerna
