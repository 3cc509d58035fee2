// Words in a table of comma-separated values.
#pragma once

#include <string>

namespace nordstjerna {

// In quotes where it must be, and never what a spreadsheet takes for a formula, and runs.
std::string csvCell(const std::string& words);

} // namespace nordstjerna
