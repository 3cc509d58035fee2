// How a server that lives in a night of its own tells its time: no part of the protocol's standard vectors,
// and told by our own server alone.
#pragma once

namespace nordstjerna::servedClock {

inline constexpr const char* device = "Night";
inline constexpr const char* vector = "NIGHT_CLOCK";
inline constexpr const char* now = "UNIX_TIME"; // s
inline constexpr const char* pace = "PACE";     // its seconds in one of the wall

} // namespace nordstjerna::servedClock
