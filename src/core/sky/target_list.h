// A list of targets as a table of text, from a spreadsheet, a planner or one's own hand.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/sky/object_catalogue.h"

namespace nordstjerna {

struct ListedTarget {
    std::string name;
    Equatorial place;                // J2000
    std::optional<double> angle_deg; // wanted position angle of the sensor's +y
};

struct TargetList {
    std::vector<ListedTarget> targets;
    int leftOut = 0;   // lines that name no place
    Text firstLeftOut; // the first of them, and why
};

// A target a line; cells parted by commas, semicolons or tabs, in quotes where they hold one. With a line of
// titles, the columns name|target|object, ra, dec and angle|pa in any order and others besides (ra in degrees
// where it is a plain number, in hours where the title says so: ra_h, ra_hours); without one, name, ra, dec.
// A name without coordinates is looked up. Empty lines and those that begin with # are passed over. Fails
// when no line names a place, or beyond 2000 of them.
Expected<TargetList> parseTargetList(std::string_view text, const ObjectCatalogue& catalogue);

} // namespace nordstjerna
