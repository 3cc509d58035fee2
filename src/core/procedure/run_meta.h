// Header of a run as every recording procedure fills it.
#pragma once

#include "core/guide/guide_geometry.h"
#include "core/motion/run.h"
#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

RunMeta runMetaFor(const Rig& rig, RunKind kind);
// Where the run takes place, and the rates that hold there.
void setRunPlace(RunMeta& meta, const Rig& rig, const Event& event, const GuideGeometry& geometry);

} // namespace nordstjerna
