#include "core/base/csv_text.h"

namespace nordstjerna {

std::string csvCell(const std::string& words) {
    // A spreadsheet takes a text that begins so for a formula, and runs it.
    const bool formula = !words.empty() && std::string("=+-@\t\r").find(words.front()) != std::string::npos;
    const std::string text = (formula ? "'" : "") + words;
    if (text.find_first_of(",\"\r\n") == std::string::npos)
        return text;
    std::string quoted = "\"";
    for (char c : text)
        quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
    return quoted + "\"";
}

} // namespace nordstjerna
