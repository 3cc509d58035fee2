#include "field_bench.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "bench_clock.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "edge/platesolve/plate_solver.h"
#include "turned_plane.h"

namespace nordstjerna {

namespace {

constexpr int width_px = 1600;

struct DrawnField {
    StarField stars;
    TangentPlane plane;
    int height_px = 0;
    int ofCatalogue = 0;
    double scale_arcsec_px = 0.0; // as the rig says
};

double fluxOf(double magnitude) {
    return std::pow(10.0, 0.4 * (20.0 - magnitude));
}

// A frame of the catalogue's stars at a place anywhere, turned anyhow, with the fainter stars that are there,
// too: 600 a square degree down to 14. Half of the frames are mirrored; scales are up to 1 % off. invented:
// as many stars, anywhere on the frame.
DrawnField fieldAt(const StarIndex& index, Random& random, double width_arcmin, double height_arcmin,
                   bool invented) {
    DrawnField f;
    f.height_px = static_cast<int>(width_px * height_arcmin / width_arcmin);
    f.scale_arcsec_px = 60.0 * width_arcmin / width_px;
    const Vec3 centre = vectorFrom(
        Equatorial{Angle::fromDeg(random.uniform(0, 360)), Angle::fromRad(std::asin(random.uniform(-1, 1)))});
    const double roll = random.uniform(0.0, tau);
    const bool mirrored = random.uniform() < 0.5;
    f.plane = turnedPlane(centre, width_px, f.height_px, f.scale_arcsec_px * random.uniform(0.99, 1.01), roll,
                          mirrored);
    const auto add = [&](double x, double y, double magnitude) {
        Star s;
        s.x = x;
        s.y = y;
        s.sigmaX = s.sigmaY = 0.1;
        s.flux = fluxOf(magnitude);
        f.stars.stars.push_back(s);
    };
    // Proper motion since the catalogue, and a camera's own colours.
    const double moved_px = 0.5 / f.scale_arcsec_px;
    constexpr double colour_mag = 0.3;
    for (const CatalogueStar& s :
         index.starsNear(f.plane.centre, Angle::fromArcmin(0.6 * std::hypot(width_arcmin, height_arcmin)))) {
        const auto at = f.plane.pixelAt(s.icrs);
        if (!at || at->x < 0 || at->y < 0 || at->x > width_px || at->y > f.height_px)
            continue;
        ++f.ofCatalogue;
        if (invented)
            add(random.uniform(0, width_px), random.uniform(0, f.height_px), s.magnitude);
        else
            add(at->x + moved_px * random.gaussian(), at->y + moved_px * random.gaussian(),
                s.magnitude + colour_mag * random.gaussian());
    }
    const int faint = static_cast<int>(600.0 * width_arcmin * height_arcmin / 3600.0);
    for (int i = 0; i < faint; ++i)
        add(random.uniform(0, width_px), random.uniform(0, f.height_px),
            14.0 + std::log10(random.uniform(0.09, 1.0)) / 0.42);
    std::sort(f.stars.stars.begin(), f.stars.stars.end(),
              [](const Star& a, const Star& b) { return a.flux > b.flux; });
    constexpr size_t most = 100;
    if (f.stars.stars.size() > most)
        f.stars.stars.resize(most);
    return f;
}

struct SolvedTally {
    int fields = 0, right = 0, wrong = 0;
    std::vector<double> ms;
};

// hinted: the place to 20′, the scale to 1 %; roll_deg: and the roll to that. Else the scale alone.
void solveInto(SolvedTally& tally, StarIndex& index, Random& random, const DrawnField& f, bool hinted,
               double roll_deg) {
    const std::atomic<bool> never{false};
    SolveOptions options;
    options.scale_arcsec_px = f.scale_arcsec_px;
    options.scaleTolerance = 0.01;
    options.timeLimit_s = 4.0;
    if (hinted) {
        options.near = offsetPlace(f.plane.centre, Angle::fromDeg(random.uniform(0, 360)),
                                   Angle::fromArcmin(20.0 * std::sqrt(random.uniform())));
        options.radius_deg = 0.35;
    }
    if (roll_deg > 0.0) {
        options.roll = f.plane.roll() + Angle::fromDeg(random.uniform(-roll_deg, roll_deg));
        options.rollTolerance = Angle::fromDeg(roll_deg);
    }
    Expected<SolvedFrame> solved = problem("");
    tally.ms.push_back(1000.0 * seconds([&] {
                           solved = solveStars(index, f.stars, width_px, f.height_px, {}, options, never);
                       }));
    ++tally.fields;
    if (!solved)
        return;
    const bool right = separation(solved->plane.centre, f.plane.centre).arcsec() < 30.0;
    tally.right += right;
    tally.wrong += !right;
}

void sayFields(const char* what, double width, double height, const SolvedTally& t) {
    std::printf("%-44s %3.0f′ × %2.0f′: %5.1f %% of %d, wrong %d, median %.1f ms\n", what, width, height,
                100.0 * t.right / std::max(1, t.fields), t.fields, t.wrong, median(t.ms));
    std::fflush(stdout);
}

} // namespace

void benchFields(int fields, int invented) {
    const auto index = StarIndex::loadDefault();
    if (!index) {
        std::printf("%s\n", index.error().text().c_str());
        return;
    }
    constexpr std::pair<double, double> sizes[] = {{40.0, 27.0}, {30.0, 19.0}, {20.0, 12.0}};
    for (const auto& [width, height] : sizes) {
        Random random(77);
        SolvedTally near;
        SolvedTally blind;
        SolvedTally few;
        while (near.fields < fields || few.fields < fields / 2) {
            const DrawnField f = fieldAt(**index, random, width, height, false);
            if (f.ofCatalogue >= 5 && near.fields < fields) {
                solveInto(near, **index, random, f, true, 0.0);
                if (blind.fields < fields / 4)
                    solveInto(blind, **index, random, f, false, 0.0);
            }
            // Poor fields are rare where fields are large.
            if ((f.ofCatalogue == 3 || f.ofCatalogue == 4) && width < 35.0 && few.fields < fields / 2)
                solveInto(few, **index, random, f, true, 1.0);
            if (width > 35.0)
                few.fields = fields;
        }
        sayFields("five stars and more, place to 20′", width, height, near);
        sayFields("  the same blind", width, height, blind);
        if (width < 35.0)
            sayFields("three or four stars, place and roll to 1°", width, height, few);
    }
    Random random(78);
    SolvedTally none;
    for (int i = 0; i < invented; ++i) {
        const auto& [width, height] = sizes[static_cast<size_t>(i) % std::size(sizes)];
        solveInto(none, **index, random, fieldAt(**index, random, width, height, true), true, 0.0);
    }
    std::printf("invented stars, place to 20′: %d of %d solved, all of them wrongly\n",
                none.right + none.wrong, none.fields);
}

} // namespace nordstjerna
