// How near the guide loop comes to the best that any linear loop could do, on random simulated mounts.
#pragma once

namespace nordstjerna {

// wormKnowledge: what the rig says of the worm's period, as a factor; 0: nothing, and the mount tells no
// phase.
void benchLoop(int mounts, int firstSeed, bool tellEach, double wormKnowledge);

// Whether what Tune proposes from a free run is as good as the best of many settings tried on the sky.
void benchTune(int mounts);

// What a step of the loop costs, and what replaying eight hours does.
void benchLoopSpeed();

} // namespace nordstjerna
