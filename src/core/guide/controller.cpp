#include "core/guide/controller.h"

#include <array>
#include <cmath>

namespace nordstjerna {

namespace {
constexpr std::array<const char*, 3> controllerNames{"proportional", "trend", "model"};
constexpr std::array<const char*, 4> decModeNames{"both", "north", "south", "off"};

template <typename Kind, std::size_t N>
std::optional<Kind> named(const std::array<const char*, N>& names, const std::string& name) {
    for (std::size_t i = 0; i < N; ++i)
        if (name == names[i])
            return static_cast<Kind>(i);
    return std::nullopt;
}
} // namespace

const char* controllerName(ControllerKind kind) {
    return controllerNames[static_cast<std::size_t>(kind)];
}

std::optional<ControllerKind> controllerFrom(const std::string& name) {
    return named<ControllerKind>(controllerNames, name);
}

const char* decModeName(DecMode mode) {
    return decModeNames[static_cast<std::size_t>(mode)];
}

std::optional<DecMode> decModeFrom(const std::string& name) {
    return named<DecMode>(decModeNames, name);
}

double ProportionalController::correction(double error_arcsec) {
    smoothed_ =
        fresh_ ? error_arcsec : settings_.smoothing * smoothed_ + (1.0 - settings_.smoothing) * error_arcsec;
    fresh_ = false;
    if (std::abs(smoothed_) <= settings_.deadband_arcsec)
        return 0.0;
    const double given = settings_.loopGain * smoothed_;
    // What is corrected now is no error any more; a memory that kept it would correct it again and again.
    smoothed_ -= given;
    return given;
}

} // namespace nordstjerna
