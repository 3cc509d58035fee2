#pragma once

namespace nordstjerna {

// From a measured guide frame to its pulse, with nothing beside and with frames of 17 Mpx being read out,
// measured and written all the time.
void benchLatency(double seconds);

} // namespace nordstjerna
