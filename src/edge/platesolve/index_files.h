// The engine's own types, kept out of every other header.
#pragma once

#include <cstddef>
#include <filesystem>
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

// The files are opened twice, which costs no memory twice, for they are mapped: an opened file serves one
// thread at a time, and a frame that needs stars must not wait for a search that takes minutes.
struct StarIndex::Files {
    struct Opened {
        std::vector<index_t*> indexes; // smallest figures first
        std::mutex lock;

        ~Opened() {
            for (index_t* i : indexes)
                index_free(i);
        }
    };
    Opened toSolve, toRead;

    // Adds these to both; how many could be read.
    size_t open(const std::vector<std::filesystem::path>& paths);
};

} // namespace nordstjerna
