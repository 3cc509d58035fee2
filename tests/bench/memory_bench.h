#pragma once

namespace nordstjerna {

// What the whole program takes after so many guided frames.
void benchMemory(int rows);
// "VmHWM" of this process, MB; 0 where the system does not tell.
double mostMemory_MB();

} // namespace nordstjerna
