#include "edge/platesolve/plate_solver.h"

#include <algorithm>
#include <cmath>
#include <ctime>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/base/symmetric.h"
#include "core/rig/scales.h"
#include "edge/platesolve/index_files.h"

namespace nordstjerna {

namespace {

constexpr int mostStars = 40; // more find no further fields, and a vain search grows with their fourth power
constexpr int fewestStars = 5;

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
    // Move the tangent point to the frame's centre: numerically, from three places about it.
    const Pixel c{0.5 * (width - 1), 0.5 * (height - 1)};
    TangentPlane moved;
    moved.centre = p.skyAt(c);
    moved.reference = c;
    const auto offset = [&](double x, double y) {
        TangentPlane unit;
        unit.centre = moved.centre;
        unit.reference = {0.0, 0.0};
        const auto at = unit.pixelAt(p.skyAt({c.x + x, c.y + y}));
        return Eigen::Vector2d(at->x, at->y);
    };
    moved.cd.col(0) = (offset(10, 0) - offset(-10, 0)) / 20.0;
    moved.cd.col(1) = (offset(0, 10) - offset(0, -10)) / 20.0;
    return moved;
}

struct Pair {
    Eigen::Vector2d pixel; // relative to the reference
    Vec3 icrs;
    double weight; // 1/σ² of the detection in px⁻²
};

// Nearest catalogue star for each detection, within the tolerance, each used once.
std::vector<Pair> match(const TangentPlane& plane, const std::vector<Star>& stars,
                        const std::vector<CatalogueStar>& catalogue, double tolerance_px) {
    struct Projected {
        double x, y;
        size_t index;
    };
    std::vector<Projected> places;
    for (size_t i = 0; i < catalogue.size(); ++i)
        if (const auto p = plane.pixelAt(catalogue[i].icrs))
            places.push_back({p->x, p->y, i});
    std::sort(places.begin(), places.end(), [](const Projected& a, const Projected& b) { return a.x < b.x; });
    std::vector<bool> taken(catalogue.size(), false);
    std::vector<Pair> pairs;
    for (const Star& s : stars) {
        double best = tolerance_px;
        const Projected* found = nullptr;
        auto it = std::lower_bound(places.begin(), places.end(), s.x - tolerance_px,
                                   [](const Projected& p, double x) { return p.x < x; });
        for (; it != places.end() && it->x <= s.x + tolerance_px; ++it) {
            const double d = std::hypot(it->x - s.x, it->y - s.y);
            if (d < best && !taken[it->index])
                best = d, found = &*it;
        }
        if (!found)
            continue;
        taken[found->index] = true;
        const double sigma = std::hypot(0.5 * (s.sigmaX + s.sigmaY), 0.03);
        pairs.push_back({{s.x - plane.reference.x, s.y - plane.reference.y},
                         catalogue[found->index].icrs,
                         1.0 / (sigma * sigma)});
    }
    return pairs;
}

struct Refined {
    TangentPlane plane;
    double rms_arcsec = 0.0;
    double sigmaCentre_arcsec = 0.0;
    double sigmaRoll_arcsec = 0.0;
    int used = 0;
};

// Full set by weighted least squares: centre, and a linear map (six parameters from seven stars on, otherwise
// four). The tangent point is moved until the frame's centre falls on it.
std::optional<Refined> refine(TangentPlane plane, const std::vector<Star>& stars,
                              const std::vector<CatalogueStar>& catalogue) {
    Refined result;
    double tolerance_px = 4.0;
    for (int pass = 0; pass < 6; ++pass) {
        std::vector<Pair> pairs = match(plane, stars, catalogue, tolerance_px);
        if (pairs.size() < 4)
            return std::nullopt;
        const bool affine = pairs.size() >= 7;
        const int n = affine ? 3 : 4;
        const double sense = plane.mirrored() ? 1.0 : -1.0;
        // Standard coordinates about the present tangent point, in pixels of the present scale.
        const double unit = plane.scaleArcsecPx() / arcsecPerRad;
        TangentPlane standard;
        standard.centre = plane.centre;
        standard.reference = {0.0, 0.0};
        standard.cd = Eigen::Matrix2d::Identity() * unit;
        Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        Eigen::VectorXd rightY = Eigen::VectorXd::Zero(n); // of the affine map only
        for (const Pair& p : pairs) {
            const auto at = standard.pixelAt(p.icrs);
            const double x = p.pixel.x();
            const double y = p.pixel.y();
            if (affine) {
                const Eigen::Vector3d row(1.0, x, y);
                normal += p.weight * row * row.transpose();
                right += p.weight * at->x * row;
                rightY += p.weight * at->y * row;
            } else {
                // ξ = ξ0 + a·x − s·b·y, η = η0 + b·x + s·a·y; s = +1 for a mirrored picture, −1 otherwise.
                const Eigen::Vector4d rX(1.0, 0.0, x, -sense * y);
                const Eigen::Vector4d rY(0.0, 1.0, sense * y, x);
                normal += p.weight * (rX * rX.transpose() + rY * rY.transpose());
                right += p.weight * (rX * at->x + rY * at->y);
            }
        }
        const SymmetricSolver<Eigen::Dynamic> solver(normal);
        const Eigen::MatrixXd inverse = solver.inverse();
        const Eigen::VectorXd fit = solver.solve(right);
        Eigen::Vector2d shift;
        Eigen::Matrix2d map;
        if (affine) {
            const Eigen::VectorXd fitY = solver.solve(rightY);
            shift << fit(0), fitY(0);
            map << fit(1), fit(2), fitY(1), fitY(2);
        } else {
            shift << fit(0), fit(1);
            map << fit(2), -sense * fit(3), fit(3), sense * fit(2);
        }
        double squares = 0.0;
        std::vector<double> distances;
        double weights = 0.0;
        double lever = 0.0;
        for (const Pair& p : pairs) {
            const auto at = standard.pixelAt(p.icrs);
            const Eigen::Vector2d r = shift + map * p.pixel - Eigen::Vector2d(at->x, at->y);
            squares += p.weight * r.squaredNorm();
            weights += p.weight;
            lever += p.weight * p.pixel.squaredNorm();
            distances.push_back(r.norm());
        }
        const double freedom = std::max(1.0, 2.0 * static_cast<double>(pairs.size()) - (affine ? 6.0 : 4.0));
        const double excess = std::sqrt(std::max(1.0, squares / freedom));
        const double typical = std::sqrt(squares / freedom * static_cast<double>(pairs.size()) / weights);
        plane.centre = standard.skyAt({shift.x(), shift.y()});
        plane.cd = map * unit;
        result.plane = plane;
        result.used = static_cast<int>(pairs.size());
        result.rms_arcsec = typical * unit * arcsecPerRad;
        result.sigmaCentre_arcsec = excess * std::sqrt(inverse(0, 0)) * unit * arcsecPerRad;
        result.sigmaRoll_arcsec = excess / std::sqrt(lever) * arcsecPerRad;
        tolerance_px = std::clamp(4.0 * median(distances) + 0.3, 0.8, 4.0);
    }
    return result;
}

} // namespace

Expected<SolvedFrame> solveStars(StarIndex& index, const StarField& field, int width, int height,
                                 Instant when, const SolveOptions& options, const std::atomic<bool>& halt) {
    const int count = std::min<int>(mostStars, static_cast<int>(field.stars.size()));
    if (count < fewestStars)
        return problem("Too few stars to solve the frame: " + formatCount(count, "star") + ".",
                       "At least " + std::to_string(fewestStars) + " are needed.",
                       "Expose longer; check cover, focus and cloud.");
    double low = 0.2;
    double high = 60.0;
    if (options.scale_arcsec_px > 0.0) {
        low = options.scale_arcsec_px * (1.0 - std::min(options.scaleTolerance, 0.9));
        high = options.scale_arcsec_px * (1.0 + options.scaleTolerance);
    }
    std::optional<TangentPlane> proposal;
    bool indexFits = false;
    bool timedOut = false;
    {
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
                indexFits = true;
            }
        if (options.near) {
            const Equatorial e = equatorialFrom(*options.near);
            solver_set_radec(solver.get(), e.ra.deg(), e.dec.deg(), options.radius_deg);
        }
        Watch watch{solver.get(), &halt, worked_s() + options.timeLimit_s};
        solver->timer_callback = onTimer;
        solver->userdata = &watch;
        if (indexFits)
            solver_run(solver.get());
        if (solver_did_solve(solver.get()))
            proposal = fromEngine(solver_get_best_match(solver.get())->wcstan, width, height);
        timedOut = watch.timedOut;
    }
    if (halt)
        return tl::unexpected(Problem{"Halted.", "Solving was broken off.", "", false, true});
    if (!indexFits)
        return problem("No star index file suits this field.",
                       "The frame is " + formatNumber(std::hypot(width, height) * low / 3600.0, 2) + "° to " +
                           formatNumber(std::hypot(width, height) * high / 3600.0, 2) + "° across.",
                       "Correct the scale, or install index files for smaller fields.");
    if (!proposal && timedOut)
        return problem("The plate solve was not finished.",
                       formatNumber(options.timeLimit_s, 0) + " s of computing were allowed, for " +
                           formatCount(count, "star") + " at " + formatNumber(low, 2) + " to " +
                           formatNumber(high, 2) + " ″/px. That says nothing against the rig.",
                       "Try again, with a smaller radius or a narrower scale, or let it compute longer.");
    if (!proposal)
        return problem("The frame matches no part of the sky" +
                           std::string(options.near ? " near the expected pointing." : "."),
                       "Searched with " + formatCount(count, "star") + " at " + formatNumber(low, 2) +
                           " to " + formatNumber(high, 2) + " ″/px.",
                       "Check focal length, pixel size and binning; allow a wider scale or a larger radius.");
    const Angle reach = Angle::fromArcsec(0.55 * std::hypot(width, height) * proposal->scaleArcsecPx());
    const auto refined = refine(*proposal, field.stars, index.starsNear(proposal->centre, reach));
    if (!refined)
        return problem("The frame's match could not be confirmed.",
                       "Fewer than four stars agree with the catalogue.", "Expose longer.");
    SolvedFrame solved;
    solved.plane = refined->plane;
    solved.width = width;
    solved.height = height;
    solved.matched = refined->used;
    solved.rms_arcsec = refined->rms_arcsec;
    solved.sigmaCentre_arcsec = refined->sigmaCentre_arcsec;
    solved.sigmaRoll_arcsec = refined->sigmaRoll_arcsec;
    solved.when = when;
    return solved;
}

Expected<SolvedFrame> solveFrame(StarIndex& index, const Frame& frame, SolveOptions options,
                                 const std::atomic<bool>& halt) {
    // The catalogue of the index holds some 40 stars a field, which are among the brightest.
    DetectOptions bright;
    bright.most = 100;
    const auto field = detectStars(frame, bright);
    if (!field)
        return tl::unexpected(field.error());
    if (options.scale_arcsec_px <= 0.0 && frame.info.pixel_um > 0.0 && frame.info.focal_mm > 0.0)
        options.scale_arcsec_px = scaleArcsecPx(frame.info.pixel_um, frame.info.focal_mm);
    if (!options.near && frame.info.pointing)
        options.near = vectorFrom(*frame.info.pointing);
    auto solved = solveStars(index, *field, frame.width, frame.height,
                             frame.info.middle().value_or(Instant{}), options, halt);
    if (!solved && options.near && !halt) { // the header may be wrong
        options.near.reset();
        solved = solveStars(index, *field, frame.width, frame.height, frame.info.middle().value_or(Instant{}),
                            options, halt);
    }
    return solved;
}

} // namespace nordstjerna
