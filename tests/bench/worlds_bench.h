// The loop in worlds that are not its model's: late and lost pulses, a period that is a little wrong, air
// with a memory, large worms, backlash.
#pragma once

namespace nordstjerna {

// Prints what the model leaves over what a loop leaves that was told the truth of each world, and over a
// proportional loop with the gain that hindsight finds best.
void benchWorlds(int worlds, int firstSeed);

} // namespace nordstjerna
