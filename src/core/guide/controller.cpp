#include "core/guide/controller.h"

#include <array>

namespace nordstjerna {

namespace {
constexpr std::array<const char*, 4> decModeNames{"both", "north", "south", "off"};
}

const char* decModeName(DecMode mode) {
    return decModeNames[static_cast<std::size_t>(mode)];
}

std::optional<DecMode> decModeFrom(const std::string& name) {
    for (std::size_t i = 0; i < decModeNames.size(); ++i)
        if (name == decModeNames[i])
            return static_cast<DecMode>(i);
    return std::nullopt;
}

} // namespace nordstjerna
