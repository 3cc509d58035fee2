// How many small fields are solved, and that none is solved wrongly.
#pragma once

namespace nordstjerna {

void benchFields(int fields, int invented);

} // namespace nordstjerna
