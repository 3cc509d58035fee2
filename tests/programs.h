// Programs that tests start: the twins of the one they run in.
#pragma once

extern const char* const toolPath;
extern const char* const nightWriterPath;
