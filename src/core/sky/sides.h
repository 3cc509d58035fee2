// Two ways to say on which side a mount's telescope is, and one word for each. Inside, a side is where it
// looks in its usual position: "east" (of the meridian) or "west". Open device standards name the side of the
// pier that the telescope is on, which is the other one; files for other software say that.
#pragma once

#include <string>

#include "core/base/text.h"

namespace nordstjerna {

// "east" → "WEST", "west" → "EAST"; else empty.
inline std::string pierSideOf(const std::string& looking) {
    return looking == "east" ? "WEST" : looking == "west" ? "EAST" : "";
}
// Back, from a file of ours: in capitals the side of the pier, in small letters (earlier versions) where the
// telescope looked.
inline std::string lookingFrom(const std::string& written) {
    return written == "WEST" || written == "east"   ? "east"
           : written == "EAST" || written == "west" ? "west"
                                                    : "";
}
// "east", "west"; empty where it is not known.
inline Text lookingWord(const std::string& looking) {
    return looking == "east" ? Text::say("east") : looking == "west" ? Text::say("west") : Text();
}
// "looking east, pier side west"; "side not known".
inline Text sideWords(const std::string& looking) {
    return looking == "east"   ? Text::say("looking east, pier side west")
           : looking == "west" ? Text::say("looking west, pier side east")
                               : Text::say("side not known");
}

} // namespace nordstjerna
