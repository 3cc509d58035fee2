// Under the sanitizers, which look for other faults, a part of the cases does; shares are not judged by so
// few.
#pragma once

#ifdef NORDSTJERNA_SANITIZED
inline constexpr bool thinned = true;
#else
inline constexpr bool thinned = false;
#endif
