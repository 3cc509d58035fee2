// How pulses answer, wherever that was measured: while guiding, or by a test.
#pragma once

#include <optional>

#include "core/findings/finding.h"
#include "core/guide/response_meter.h"
#include "core/motion/gear_answer.h"

namespace nordstjerna {

// how: from what it was measured, a sentence.
Finding pulsesLate(const Measured& delay_s, const Text& how);
// gain: of what the calibration says, as it is to be read.
Finding ratesOff(bool dec, const Text& gain, const Text& how);

// What a response test found; an axis that did not answer is absent.
std::vector<Finding> responseFindings(const std::optional<Response>& ra, const std::optional<Response>& dec,
                                      bool decMotor);

// What a gear check found: whether an axis answers alike both ways, and what Dec loses at reversals.
std::vector<Finding> gearFindings(const GearAnswer& answer, double decRate_arcsec_s);

} // namespace nordstjerna
