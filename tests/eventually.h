// Looked at again until it is so; nothing here takes half as long, even on a busy machine.
#pragma once

#include <chrono>
#include <thread>

namespace nordstjerna {

// False: it did not come to be within a minute.
template <typename Ready>
bool eventually(const Ready& ready) {
    for (int i = 0; i < 3000; ++i) {
        if (ready())
            return true;
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    return false;
}

} // namespace nordstjerna
