#include "core/rig/rig.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

double CameraSpec::saturation_adu() const {
    return std::min(std::ldexp(1.0, bits) - 1.0, fullWell_e * bin * bin / gain_e_adu);
}

} // namespace nordstjerna
