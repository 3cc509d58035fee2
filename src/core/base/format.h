// The one place where numbers become text for people. UTF-8, British decimal point, ″ and ′ on the sky.
#pragma once

#include <string>

#include "core/base/angle.h"
#include "core/base/measured.h"

namespace nordstjerna {

// Fixed-point with `decimals` places; never "-0.0".
std::string formatNumber(double value, int decimals);

// A unit as it follows a number: " mm", but "°", "′" and "″" close to it.
std::string formatUnit(const std::string& unit);

// Value and uncertainty with as many places as the uncertainty deserves (two leading digits when the
// first is 1, otherwise one), e.g. "3.2 ± 0.2′", "649 ± 91 ms". At most `maxDecimals` places.
std::string formatMeasured(Measured m, const std::string& unit, int maxDecimals = 3);
// An uncertainty of so many places; "< 0.01" where it would show as nothing.
std::string formatSigma(double sigma, int places);
// Places formatMeasured would use for this uncertainty.
int decimalsFor(double sigma, int maxDecimals = 3);

// An angle on the sky in the unit a person would pick: ″ below one minute, ′ below two degrees, ° above.
std::string formatSkyAngle(Angle a);

std::string formatHms(Angle ra);            // 02h22m33.4s
std::string formatDms(Angle dec);           // +42°20′50″
std::string formatHourAngle(Angle ha);      // −4h54m
std::string formatDuration(double seconds); // 45 s, 3 min 20 s, 1 h 05 min

} // namespace nordstjerna
