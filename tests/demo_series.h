// The series of the demo night, without its rig's file.
#pragma once

#include "core/series/series_setup.h"

inline nordstjerna::SeriesSetup demoSeries() {
    using namespace nordstjerna;
    SeriesSetup s;
    s.rig.site.latitude = Angle::fromDeg(58.35);
    s.rig.site.longitude = Angle::fromDeg(11.2);
    s.rig.imagingCamera = {4.2, 5000, 3400};
    s.rig.imagingOptics = {610.0, 111.0};
    s.rig.guideCamera = {3.0, 1920, 1200};
    s.rig.guideOptics = {240.0, 50.0};
    s.targetName = "NGC 891";
    s.target = vectorFrom(Equatorial{Angle::fromDeg(35.639224), Angle::fromDeg(42.349146)});
    s.exposure_s = 180.0;
    return s;
}
