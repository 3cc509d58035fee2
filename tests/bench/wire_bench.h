#pragma once

namespace nordstjerna {

// Guiding over the wire beside guiding directly: from the end of the read-out to the pulse at the mount, with
// nothing beside and with frames of 17 Mpx coming in, and what is left of the error. minutes: of each night.
void benchWire(double minutes);

} // namespace nordstjerna
