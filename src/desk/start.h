// Puts a session together from the command line's wishes.
#pragma once

#include <memory>

#include "desk/session.h"

namespace nordstjerna {

struct StartWishes {
    std::filesystem::path scenario; // empty: the demo night
    std::optional<double> speed;
    std::filesystem::path dataFolder; // empty: $XDG_DATA_HOME/nordstjerna
};

Expected<std::unique_ptr<Session>> startSession(const StartWishes& wishes);

// Folder with the demo night: installed, or in the source tree.
std::filesystem::path demoFolder();

} // namespace nordstjerna
