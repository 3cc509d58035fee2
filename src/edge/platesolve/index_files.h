// The engine's own types, kept out of every other header.
#pragma once

#include <cstddef>
#include <mutex>
#include <vector>

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wold-style-cast"
extern "C" {
#include <astrometry/index.h>
#include <astrometry/log.h>
#include <astrometry/solver.h>
#include <astrometry/starkd.h>
}
#pragma GCC diagnostic pop
// The engine's headers define macros with everyday names.
#undef MIN
#undef MAX
#undef MAXMIN

#include "edge/platesolve/star_index.h"

namespace nordstjerna {

struct StarIndex::Files {
    std::vector<index_t*> indexes; // smallest figures first
    std::mutex lock;               // the engine is not thread-safe

    ~Files() {
        for (index_t* i : indexes)
            index_free(i);
    }
};

} // namespace nordstjerna
