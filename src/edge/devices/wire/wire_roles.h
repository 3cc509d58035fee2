// Which device of a server does what.
#pragma once

#include <string>

namespace nordstjerna {

// By its name there; empty: none.
struct WireRoles {
    std::string mount;
    std::string guideCamera;
    std::string imagingCamera;
    std::string guideFocuser;
    std::string imagingFocuser;
    std::string wheel;     // before the imaging camera
    std::string rotator;   // of the imaging camera
    std::string guidePort; // a camera that carries the guide pulses in place of the mount

    bool operator==(const WireRoles&) const = default;
    bool none() const { return *this == WireRoles{}; }
};

} // namespace nordstjerna
