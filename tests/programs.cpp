// What differs between a test program and its twin under the sanitizers; all else is compiled once for both.
#include "programs.h"

#include "thinned.h"

#ifdef NORDSTJERNA_SANITIZED
const bool thinned = true;
#else
const bool thinned = false;
#endif
const char* const toolPath = TOOL_PATH;
const char* const nightWriterPath = NIGHT_WRITER_PATH;
