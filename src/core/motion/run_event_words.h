// The events of a row in words: as run tables hold them, and as people read them.
#pragma once

#include <string>

#include "core/motion/run_event.h"

namespace nordstjerna {

// For files, parts between commas: "found, set gain-ra 0.3, dither 3.21 -1.105". What a table of this program
// held comes back in the same words.
std::string eventWords(const RunEvents& events);
RunEvents eventsFrom(const std::string& words);

// For people: "found, RA loop gain 0.30, dither 3.2″ east, 1.1″ south".
std::string eventText(const RunEvents& events);

} // namespace nordstjerna
