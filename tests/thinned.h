// Under the sanitizers, which look for other faults, a part of the cases does; shares are not judged by so
// few. The tests are compiled once for both.
#pragma once

extern const bool thinned;

inline int casesOf(int all) {
    return thinned ? all / 20 + 2 : all;
}
