// Names of the sky: bright stars, Messier, Caldwell, NGC, IC and some more, searched as one types.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/problem.h"
#include "core/sky/directions.h"

namespace nordstjerna {

struct SkyObject {
    std::vector<std::string> names; // the usual one first
    std::string kind;               // "spiral galaxy"
    Equatorial place;               // J2000
    double magnitude = 99.0;        // 99: not known
    std::string size_arcmin;        // as in the table, "13.5x2.5"; empty: not known
};

class ObjectCatalogue {
public:
    ObjectCatalogue() = default;
    // Tab-separated: names ('|' between), kind, right ascension, declination (degrees), magnitude, size; the
    // last two may be empty. Fails at the first line that does not read so.
    static Expected<ObjectCatalogue> parse(std::string_view text);

    size_t size() const { return objects_.size(); }
    // Best first: the whole name, then names that begin so, then names that hold it; brighter ones before
    // fainter ones. Case, blanks and leading zeros do not matter: "ngc0891" finds NGC 891.
    std::vector<const SkyObject*> search(std::string_view query, size_t most) const;

    // The one of this very name, written in whatever way; null: none.
    const SkyObject* named(std::string_view name) const;

    // Within the radius and not fainter, or of unknown magnitude but wide; the brightest first, stars last.
    std::vector<const SkyObject*> around(const Vec3& icrs, Angle radius, double faintest) const;
    const std::vector<SkyObject>& all() const { return objects_; }

private:
    std::vector<SkyObject> objects_;
    struct Key {
        std::string text; // made comparable
        size_t object;
    };
    std::vector<Key> keys_;
};

// A place typed in any usual notation: "02 22 33.4 +42 20 57", "2h22m33.4s +42°20′57″", "02:22:33, 42:20:57",
// or two decimal numbers, which are degrees unless the first one bears an h. Words around them (RA, Dec, α,
// δ, J2000, ICRS) are passed over.
Expected<Equatorial> parseCoordinates(const std::string& text);

} // namespace nordstjerna
