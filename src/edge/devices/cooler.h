// Port: the cooler of a camera. Commands return at once; what it does with them takes minutes. From any
// thread.
#pragma once

#include "core/base/problem.h"
#include "core/image/cooler.h"

namespace nordstjerna {

class Cooler {
public:
    virtual ~Cooler() = default;
    virtual Expected<CoolerState> state() const = 0;
    virtual Expected<void> hold(double target_c) = 0; // and switches it on
    virtual Expected<void> off() = 0;
};

} // namespace nordstjerna
