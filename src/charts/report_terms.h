// The words of a report that whoever does not guide has not met, each with what it means.
#pragma once

#include "charts/paper.h"

namespace nordstjerna {

// Those that occur in the paper, as its last block; nothing is added where none does.
void explainTerms(Paper& paper);

} // namespace nordstjerna
