// How near the guide loop comes to the best that any linear loop could do, on random simulated mounts.
#pragma once

namespace nordstjerna {

void benchLoop(int mounts, int firstSeed, bool tellEach);

} // namespace nordstjerna
