// A rig is a mount, optics with their cameras, and a site. Each is a thing of its own that is used again with
// others: what is known of a worm goes where the mount goes, what is known of focus stays with the optics.
#pragma once

#include <array>
#include <string>

#include "core/rig/rig.h"
#include "core/rig/rig_fields.h"

namespace nordstjerna {

enum class RigPart { mount, optics, site };
inline constexpr std::array<RigPart, 3> rigParts{RigPart::mount, RigPart::optics, RigPart::site};

Text partNoun(RigPart part); // in sentences: "mount", "set of optics", "site"
// Survives renaming.
const std::string& partId(const Rig& rig, RigPart part);
const std::string& partName(const Rig& rig, RigPart part);
void setPartIdentity(Rig& rig, RigPart part, const std::string& id, const std::string& name);

// This part becomes that of the other rig. With another mount or other optics the rig is another one: its
// identity and name follow.
void takePart(Rig& to, const Rig& from, RigPart part);

// Identity and name of the whole from those of its parts. Calibrations and settings of the loop belong to
// this identity: they hold for one mount with one set of optics, at every site.
void nameWhole(Rig& rig);

// Parts that have no identity yet, as in files from before rigs had parts, take that of the rig.
void takeApart(Rig& rig);

// Whether its figures are physically possible, as validateRig().
Expected<void> validatePart(const Rig& rig, RigPart part);

// The fields of one part only.
void describePart(Rig& rig, RigPart part, RigVisitor& visitor);

} // namespace nordstjerna
