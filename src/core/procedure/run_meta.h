// Header of a run as every recording procedure fills it.
#pragma once

#include "core/guide/guide_geometry.h"
#include "core/guide/star_group.h"
#include "core/motion/run.h"
#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

RunMeta runMetaFor(const Rig& rig, RunKind kind);
// Where the run takes place, and the rates that hold there.
// A row as every recording procedure fills it: place, stars, and where the worm stood in mid-exposure.
RunRow rowFrom(const FieldShift& shift, const SkyError& place, double t_s, Instant middle,
               const RunMeta& meta, const Rig& rig, const Event& event);
void setRunPlace(RunMeta& meta, const Rig& rig, const Event& event, const GuideGeometry& geometry);

// Where the worm stood at a moment a little before the event, in which the mount told it; not a number when
// it does not tell.
double wormAt(Instant when, const Rig& rig, const Event& event);

} // namespace nordstjerna
