// nordstjerna-tool: the same computations without a window. JSON to standard output, messages to standard
// error.
#pragma once

namespace nordstjerna {

// Exit status: 0 good, 1 could not do it, 2 wrong usage.
int runCommandLine(int argc, char** argv);

} // namespace nordstjerna
