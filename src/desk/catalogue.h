// The catalogue of names that ships with the application, read once.
#pragma once

#include "core/sky/object_catalogue.h"

namespace nordstjerna {

// Empty where it cannot be read; catalogueProblem() says why.
const ObjectCatalogue& catalogue();
std::optional<Problem> catalogueProblem();

} // namespace nordstjerna
