#include "core/base/number_text.h"

#include <algorithm>
#include <charconv>
#include <clocale>
#include <cmath>

#include "core/base/trim.h"

namespace nordstjerna {

std::string numberText(double value, int decimals) {
    if (!std::isfinite(value))
        return "nan";
    char buffer[400];
    const auto [end, error] =
        std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed, decimals);
    return error == std::errc() ? std::string(buffer, end) : "nan";
}

std::string exactText(double value) {
    char buffer[64];
    const auto [end, error] = std::to_chars(buffer, buffer + sizeof buffer, value);
    return error == std::errc() ? std::string(buffer, end) : "nan";
}

std::optional<NumberRead> readNumber(std::string_view text) {
    const size_t plus = text.starts_with('+') ? 1 : 0;
    if (plus && text.size() > 1 && text[1] == '-')
        return std::nullopt;
    NumberRead read;
    const auto [end, error] = std::from_chars(text.data() + plus, text.data() + text.size(), read.value);
    if (error != std::errc())
        return std::nullopt;
    read.length = static_cast<size_t>(end - text.data());
    return read;
}

std::optional<double> wholeNumber(std::string_view text) {
    const auto read = readNumber(text);
    return read && read->length == text.size() ? std::optional<double>(read->value) : std::nullopt;
}

std::optional<double> typedNumber(std::string_view text) {
    std::string own(trimmed(text));
    if (std::count(own.begin(), own.end(), ',') + std::count(own.begin(), own.end(), '.') > 1)
        return std::nullopt;
    std::replace(own.begin(), own.end(), ',', '.');
    if (own.starts_with("−"))
        own = "-" + own.substr(std::string_view("−").size());
    return wholeNumber(own);
}

void pinDecimalPoint() {
    std::setlocale(LC_NUMERIC, "C");
}

} // namespace nordstjerna
