// The skerry of the demo night.
#pragma once

#include "core/sky/site.h"

inline nordstjerna::Site skerry() {
    nordstjerna::Site s;
    s.latitude = nordstjerna::Angle::fromDeg(58.35);
    s.longitude = nordstjerna::Angle::fromDeg(11.2);
    return s;
}
