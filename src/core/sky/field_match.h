// Where a frame looks, from a handful of stars, when the place and the scale are roughly known. A pair of
// stars of the frame and a pair of the catalogue fix place, rotation and scale; every further catalogue star
// that should then be seen speaks for that or against it.
//
// How sure it is follows from the likelihood ratio of the further stars, "the frame looks there" against "the
// frame's stars stand anywhere" (stars as a Poisson process in place and magnitude). For a frame of stars
// that stand anywhere that ratio has mean one, so of N pairs of pairs that were tried one exceeds x by chance
// with a probability of at most N/x (Markov's inequality and a union bound). That bound is what is stated.
#pragma once

#include <atomic>
#include <optional>
#include <utility>
#include <vector>

#include "core/base/problem.h"
#include "core/sky/catalogue_star.h"
#include "core/sky/found_stars.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

struct FieldHint {
    Vec3 near = Vec3::UnitX(); // ICRS, expected middle of the frame
    Angle radius;              // which it is within
    double scale_arcsec_px = 1.0;
    double scaleTolerance = 0.01; // relative
    // Position angle of the sensor's +y axis, north through east, where it is known.
    std::optional<Angle> roll;
    Angle rollTolerance = Angle::fromDeg(3.0);
    std::optional<bool> mirrored; // as TangentPlane::mirrored(), where it is known
};

struct FieldMatch {
    TangentPlane plane; // tangent point at the middle of the frame; fitted to the matched stars
    std::vector<std::pair<size_t, size_t>> pairs; // a star of the frame, one of the catalogue
    double chance = 1; // at most: of so good a match to a frame of stars that stand anywhere
};

// The best of all trials, good enough or not.
struct MatchTrial {
    std::optional<FieldMatch> match; // absent: no two pairs fitted
    double chance = 1.0;             // at most, not above one
};
MatchTrial bestTrial(const std::vector<FieldStar>& stars, int width, int height,
                     const std::vector<CatalogueStar>& catalogue, const FieldHint& hint);

// What a search would need, before it is made.
struct MatchNeed {
    double trials = 0.0; // pairs of pairs that it would compare
    int stars = 0;       // catalogue stars on the frame that would be enough, all of them seen
};

// No match is given whose chance is greater than this: a near search and a wide one stay below 10⁻⁶ together.
constexpr double mostChance = 5e-7;
// Fields of this radius and less are searched at a reasonable price.
inline const Angle widestMatch = Angle::fromDeg(2.5);

// stars: all that were found, brightest first. catalogue: all stars within hint.radius and half a diagonal,
// brightest first. Fails where nothing fits well enough, and says how well the best did.
Expected<FieldMatch> matchField(const std::vector<FieldStar>& stars, int width, int height,
                                const std::vector<CatalogueStar>& catalogue, const FieldHint& hint,
                                const std::atomic<bool>& halt);

MatchNeed matchNeed(const std::vector<FieldStar>& stars, int width, int height,
                    const std::vector<CatalogueStar>& catalogue, const FieldHint& hint);

} // namespace nordstjerna
