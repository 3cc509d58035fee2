#pragma once

namespace nordstjerna {

// The night log with a thousand nights, an eight-hour run on the screen, a long table from elsewhere, a
// replay.
void benchLog();

} // namespace nordstjerna
