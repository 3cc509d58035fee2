// Numbers as text for files, commands and headers: always with a point, whatever the locale of the machine
// says.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace nordstjerna {

// Fixed-point with so many places; "nan" for what is not finite.
std::string numberText(double value, int decimals);
// The shortest text that reads back as the very same number.
std::string exactText(double value);

struct NumberRead {
    double value = 0.0;
    size_t length = 0; // characters taken
};
// The number at the beginning of the text (a leading + allowed, no blanks); absent when there is none.
std::optional<NumberRead> readNumber(std::string_view text);
// The whole text as one number; absent when something else stands in it.
std::optional<double> wholeNumber(std::string_view text);
// As people type it: blanks round it, and a point or a comma as the decimal sign.
std::optional<double> typedNumber(std::string_view text);

// Holds the C library to the decimal point for whatever other libraries print or read. Called once at the
// start of a program, after its window library has taken over the locale of the machine.
void pinDecimalPoint();

} // namespace nordstjerna
