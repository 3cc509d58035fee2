#pragma once

namespace nordstjerna {

// The map of a target's surroundings while its frame is turned, and the measuring of focus frames.
void benchBegin();

} // namespace nordstjerna
