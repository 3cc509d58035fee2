#include "edge/platesolve/plate_solver.h"

#include <algorithm>
#include <cmath>
#include <ctime>
#include <numbers>

#include "core/base/format.h"
#include "core/rig/scales.h"
#include "core/sky/field_match.h"
#include "edge/platesolve/index_files.h"
#include "edge/platesolve/refine_field.h"

namespace nordstjerna {

namespace {

constexpr int mostStars = 40; // more find no further fields, and a vain search grows with their fourth power
constexpr int fewestStars = 4;
constexpr int mostMatched = 100; // the catalogue holds some 40 stars a field, which are among the brightest

struct FreeSolver {
    void operator()(solver_t* s) const {
        solver_clear_indexes(s); // they belong to the StarIndex
        solver_free(s);
    }
};

// What this thread has computed so far: on a busy machine the limit is reached later, not earlier.
double worked_s() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

struct Watch {
    solver_t* solver;
    const std::atomic<bool>* halt;
    double end_s;
    bool timedOut = false;
};

time_t onTimer(void* data) {
    auto* w = static_cast<Watch*>(data);
    w->timedOut = worked_s() > w->end_s;
    if (*w->halt || w->timedOut) {
        w->solver->quit_now = TRUE;
        return 0;
    }
    return 1;
}

TangentPlane fromEngine(const tan_t& t, int width, int height) {
    TangentPlane p;
    p.centre = vectorFrom(Equatorial{Angle::fromDeg(t.crval[0]), Angle::fromDeg(t.crval[1])});
    p.reference = {t.crpix[0], t.crpix[1]};
    for (int i = 0; i < 2; ++i)
        for (int j = 0; j < 2; ++j)
            p.cd(i, j) = Angle::fromDeg(t.cd[i][j]).rad();
    return movedTo(p, {0.5 * (width - 1), 0.5 * (height - 1)});
}

// As many degrees as the frame is across, at a scale.
double acrossDeg(int width, int height, double scale_arcsec_px) {
    return std::hypot(width, height) * scale_arcsec_px / 3600.0;
}

std::vector<FieldStar> fieldStars(const StarField& field) {
    std::vector<FieldStar> stars;
    for (const Star& s : field.stars) {
        if (stars.size() == mostMatched)
            break;
        stars.push_back({s.x, s.y, std::hypot(0.5 * (s.sigmaX + s.sigmaY), 0.05), s.flux});
    }
    return stars;
}

// The hint of a match within this radius.
FieldHint hintOf(const SolveOptions& options, double radius_deg) {
    FieldHint hint;
    hint.near = *options.near;
    hint.radius = Angle::fromDeg(radius_deg);
    hint.scale_arcsec_px = options.scale_arcsec_px;
    hint.scaleTolerance = options.scaleTolerance;
    hint.roll = options.roll;
    hint.rollTolerance = options.rollTolerance;
    return hint;
}
std::vector<CatalogueStar> catalogueFor(const StarIndex& index, const FieldHint& hint, int width,
                                        int height) {
    return index.starsNear(
        hint.near, hint.radius + Angle::fromDeg(0.51 * acrossDeg(width, height, hint.scale_arcsec_px)));
}

// A place and a scale that are known well enough to look for single stars.
bool hinted(const SolveOptions& options) {
    constexpr double loosest = 0.25;
    return options.near && options.scale_arcsec_px > 0.0 && options.scaleTolerance <= loosest;
}

// How a frame was found, for its fit.
struct Proposal {
    TangentPlane plane;
    int fewest = 4; // stars that must agree afterwards
    double chance = 0.0;
};

Expected<Proposal> matchNear(const StarIndex& index, const StarField& field, int width, int height,
                             const SolveOptions& options, double radius_deg, const std::atomic<bool>& halt) {
    const FieldHint hint = hintOf(options, radius_deg);
    const auto match =
        matchField(fieldStars(field), width, height, catalogueFor(index, hint, width, height), hint, halt);
    if (!match)
        return tl::unexpected(match.error());
    return Proposal{match->plane, std::min(4, static_cast<int>(match->pairs.size())), match->chance};
}

// The engine: figures of four stars, anywhere or near a place.
struct FigureSearch {
    std::optional<TangentPlane> plane;
    bool indexFits = false;
    bool timedOut = false;
};
FigureSearch searchFigures(StarIndex& index, const StarField& field, int width, int height, double low,
                           double high, const SolveOptions& options, const std::atomic<bool>& halt) {
    FigureSearch result;
    const int count = std::min<int>(mostStars, static_cast<int>(field.stars.size()));
    StarIndex::Files::Opened& files = index.files().toSolve;
    const std::scoped_lock guard(files.lock);
    const std::unique_ptr<solver_t, FreeSolver> solver(solver_new());
    starxy_t* xy = starxy_new(count, TRUE, FALSE);
    for (int i = 0; i < count; ++i) {
        const Star& s = field.stars[static_cast<size_t>(i)];
        starxy_set(xy, i, s.x, s.y);
        starxy_set_flux(xy, i, s.flux);
    }
    solver_set_field(solver.get(), xy);
    solver_set_field_bounds(solver.get(), 0, width, 0, height);
    solver->funits_lower = low;
    solver->funits_upper = high;
    solver_set_quad_size_fraction(solver.get(), 0.1, 1.0);
    solver->distractor_ratio = 0.25;
    solver->verify_pix = 1.0;
    solver->logratio_tokeep = std::log(1e9);
    double quadLow = 0.0;
    double quadHigh = 0.0;
    solver_get_quad_size_range_arcsec(solver.get(), &quadLow, &quadHigh);
    for (index_t* i : files.indexes)
        if (index_overlaps_scale_range(i, quadLow, quadHigh)) {
            solver_add_index(solver.get(), i);
            result.indexFits = true;
        }
    if (options.near) {
        const Equatorial e = equatorialFrom(*options.near);
        solver_set_radec(solver.get(), e.ra.deg(), e.dec.deg(), options.radius_deg);
    }
    Watch watch{solver.get(), &halt, worked_s() + options.timeLimit_s};
    solver->timer_callback = onTimer;
    solver->userdata = &watch;
    if (result.indexFits)
        solver_run(solver.get());
    if (solver_did_solve(solver.get()))
        result.plane = fromEngine(solver_get_best_match(solver.get())->wcstan, width, height);
    result.timedOut = watch.timedOut;
    return result;
}

FieldReach sizeOf(const StarIndex& index, int width, int height, double scale_arcsec_px) {
    FieldReach r;
    r.smallestFigure_arcmin = index.smallestFigure_arcmin();
    r.width_arcmin = width * scale_arcsec_px / 60.0;
    r.height_arcmin = height * scale_arcsec_px / 60.0;
    return r;
}

// "40′ × 27′"
std::string sizeWords(const FieldReach& reach) {
    return formatNumber(reach.width_arcmin, 0) + "′ × " + formatNumber(reach.height_arcmin, 0) + "′";
}

// A field that the installed files may not be able to solve is named as that: neither the rig nor the sky is
// to blame.
Problem tooSmall(const FieldReach& reach) {
    Text why = Text::say("It measures %1, and the smallest figures in the star index files are %2′ across.")
                   .arg(sizeWords(reach))
                   .arg(formatNumber(reach.smallestFigure_arcmin, 0));
    Text remedy = Text::say("Solve with the other camera if its field is larger, or install star index files "
                            "with smaller figures.");
    if (reach.starsNeeded > 0)
        why += Text::say("A match near the expected place was tried, too: of %1 that should stand there %2 "
                         "would be needed.")
                   .arg(Text::say("%n catalogue star|%n catalogue stars", "", reach.catalogueStars))
                   .arg(formatNumber(reach.starsNeeded, 0));
    else
        remedy =
            Text::say("Say roughly where the telescope points: a few stars are enough then.").then(remedy);
    return {Text::say("The field is too small to be solved anywhere in the sky."),
            why,
            remedy,
            false,
            false,
            true};
}

} // namespace

bool FieldReach::figuresFit() const {
    // Of those that span the whole frame few are in the files.
    return smallestFigure_arcmin < std::min(width_arcmin, height_arcmin);
}

FieldReach reachOf(const StarIndex& index, const StarField& field, int width, int height,
                   const SolveOptions& options) {
    FieldReach r = sizeOf(index, width, height, options.scale_arcsec_px);
    if (!hinted(options))
        return r;
    const FieldHint hint = hintOf(options, std::min(options.radius_deg, widestMatch.deg()));
    const auto catalogue = catalogueFor(index, hint, width, height);
    // Those about the expected place, as many as the frame has room for: where exactly it looks is not known.
    const Angle about = Angle::fromDeg(0.5 * acrossDeg(width, height, options.scale_arcsec_px));
    const auto inside = std::count_if(catalogue.begin(), catalogue.end(), [&](const CatalogueStar& s) {
        return separation(s.icrs, *options.near) < about;
    });
    const double circle_arcmin2 = std::numbers::pi * about.arcmin() * about.arcmin();
    r.catalogueStars = static_cast<int>(
        std::lround(static_cast<double>(inside) * r.width_arcmin * r.height_arcmin / circle_arcmin2));
    const MatchNeed need = matchNeed(fieldStars(field), width, height, catalogue, hint);
    r.trials = need.trials;
    r.starsNeeded = need.stars;
    return r;
}

Expected<SolvedFrame> solveStars(StarIndex& index, const StarField& field, int width, int height,
                                 Instant when, const SolveOptions& options, const std::atomic<bool>& halt) {
    const int count = std::min<int>(mostStars, static_cast<int>(field.stars.size()));
    if (count < fewestStars)
        return problem(
            Text::say("Too few stars to solve the frame: %1.").arg(Text::say("%n star|%n stars", "", count)),
            Text::say("At least %1 are needed.").arg(fewestStars),
            Text::say("Expose longer; check cover, focus and cloud."));
    double low = 0.2;
    double high = 60.0;
    if (options.scale_arcsec_px > 0.0) {
        low = options.scale_arcsec_px * (1.0 - std::min(options.scaleTolerance, 0.9));
        high = options.scale_arcsec_px * (1.0 + options.scaleTolerance);
    }
    Expected<Proposal> proposal = problem("");
    const auto match = [&](double radius_deg) {
        proposal = matchNear(index, field, width, height, options, radius_deg, halt);
    };
    // The telescope is usually near the expected place; a wider search costs much more, and only small
    // fields, which have no figures, need it.
    constexpr double near_deg = 0.5;
    constexpr double wide_deg = 1.2;
    const double widest_deg = std::min(options.radius_deg, widestMatch.deg());
    if (hinted(options)) {
        match(std::min(near_deg, widest_deg));
        if (!proposal && !halt && widest_deg > near_deg &&
            acrossDeg(width, height, options.scale_arcsec_px) < wide_deg)
            match(widest_deg);
    }
    const Expected<Proposal> matched = proposal;
    FigureSearch search;
    if (!proposal && !halt) {
        search = searchFigures(index, field, width, height, low, high, options, halt);
        if (search.plane)
            proposal = Proposal{*search.plane};
    }
    if (halt)
        return tl::unexpected(
            Problem{Text::say("Halted."), Text::say("Solving was broken off."), "", false, true});
    if (!proposal && options.scale_arcsec_px > 0.0 &&
        !sizeOf(index, width, height, options.scale_arcsec_px).figuresFit()) {
        const FieldReach reach = reachOf(index, field, width, height, options);
        // Where catalogue stars enough should stand, another frame may do.
        return tl::unexpected(reach.matchMayDo() ? matched.error() : tooSmall(reach));
    }
    if (!proposal && !search.indexFits)
        return problem(Text::say("No star index file suits this field."),
                       Text::say("The frame is %1° to %2° across.")
                           .arg(formatNumber(acrossDeg(width, height, low), 2))
                           .arg(formatNumber(acrossDeg(width, height, high), 2)),
                       Text::say("Correct the scale, or install index files for smaller fields."));
    if (!proposal && search.timedOut)
        return problem(
            Text::say("The plate solve was not finished."),
            Text::say(
                "%1 s of computing were allowed, for %2 at %3 to %4 ″/px. That says nothing against the rig.")
                .arg(formatNumber(options.timeLimit_s, 0))
                .arg(Text::say("%n star|%n stars", "", count))
                .arg(formatNumber(low, 2))
                .arg(formatNumber(high, 2)),
            Text::say("Try again, with a smaller radius or a narrower scale, or let it compute longer."));
    if (!proposal)
        return problem(
            options.near ? Text::say("The frame matches no part of the sky near the expected pointing.")
                         : Text::say("The frame matches no part of the sky."),
            Text::say("Searched with %1 at %2 to %3 ″/px.")
                .arg(Text::say("%n star|%n stars", "", count))
                .arg(formatNumber(low, 2))
                .arg(formatNumber(high, 2)),
            Text::say("Check focal length, pixel size and binning; allow a wider scale or a larger radius."));
    const Angle reach = Angle::fromArcsec(0.55 * std::hypot(width, height) * proposal->plane.scaleArcsecPx());
    auto solved = refineField(proposal->plane, field.stars, index.starsNear(proposal->plane.centre, reach),
                              proposal->fewest);
    if (!solved)
        return problem(Text::say("The frame's match could not be confirmed."),
                       Text::say("Fewer than %1 agree with the catalogue.")
                           .arg(Text::say("%n star|%n stars", "", proposal->fewest)),
                       Text::say("Expose longer."));
    solved->chance = proposal->chance;
    solved->width = width;
    solved->height = height;
    solved->when = when;
    return *solved;
}

SolveOptions withHeader(SolveOptions options, const Frame& frame) {
    if (options.scale_arcsec_px <= 0.0 && frame.info.pixel_um > 0.0 && frame.info.focal_mm > 0.0)
        options.scale_arcsec_px = scaleArcsecPx(frame.info.pixel_um, frame.info.focal_mm);
    if (!options.near && frame.info.pointing)
        options.near = vectorFrom(*frame.info.pointing);
    return options;
}

Expected<SolvedFrame> solveField(StarIndex& index, const StarField& field, const Frame& frame,
                                 SolveOptions options, const std::atomic<bool>& halt) {
    const auto solve = [&] {
        return solveStars(index, field, frame.width, frame.height, frame.info.middle().value_or(Instant{}),
                          options, halt);
    };
    auto solved = solve();
    if (!solved && options.near && !halt) { // it may be wrong
        options.near.reset();
        auto anywhere = solve();
        // Why a small field was not found near the place says more than that it is too small to be found
        // anywhere.
        if (anywhere || !anywhere.error().lasting)
            solved = std::move(anywhere);
    }
    return solved;
}

Expected<SolvedFrame> solveFrame(StarIndex& index, const Frame& frame, const SolveOptions& options,
                                 const std::atomic<bool>& halt) {
    DetectOptions bright;
    bright.most = mostMatched;
    const auto field = detectStars(frame, bright);
    if (!field)
        return tl::unexpected(field.error());
    return solveField(index, *field, frame, withHeader(options, frame), halt);
}

} // namespace nordstjerna
