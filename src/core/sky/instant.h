// A moment in UTC. Leap seconds are ignored within a day, as in POSIX time.
#pragma once

#include <compare>
#include <string>

#include "core/base/problem.h"

namespace nordstjerna {

// One turn of the Earth against the stars (IAU).
inline constexpr double siderealDay_s = 86164.0905;
inline constexpr double siderealHour_s = siderealDay_s / 24.0; // of clock time, for an hour of hour angle

struct Instant {
    double unix_s = 0.0; // seconds since 1970-01-01T00:00:00 UTC

    Instant operator+(double seconds) const { return {unix_s + seconds}; }
    double operator-(Instant o) const { return unix_s - o.unix_s; }
    auto operator<=>(const Instant&) const = default;

    // Two-part Julian date (UTC), as ERFA wants it.
    double jd1() const { return 2440587.5; }
    double jd2() const { return unix_s / 86400.0; }
};

// Reads ISO 8601 such as 2026-10-14T19:05:12.345, with or without a trailing Z; a date alone is midnight.
Expected<Instant> parseInstant(const std::string& text);
// 2026-10-14T19:05:12.345 (UTC, no Z, as FITS wants it).
std::string formatInstant(Instant t, int decimals = 3);
std::string formatStamp(Instant t);                           // 20261014T190512, for names of files
std::string formatClock(Instant t, double utcOffset_h = 0.0); // 19:05
std::string formatDay(Instant t, double utcOffset_h = 0.0);   // 14 Oct 2026

} // namespace nordstjerna
