// Long exposures of the simulated imaging camera: the stars as the true path of the mount and the air smear
// them while the shutter is open, whatever guides meanwhile.
#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include "core/base/parallel.h"
#include "core/rig/scales.h"
#include "core/series/aim_wish.h"
#include "edge/devices/sim/sim_camera.h"
#include "edge/runner.h"

namespace nordstjerna {

namespace {
constexpr size_t mostPoints = 500;

// Of the points about their mean.
Eigen::Matrix2d spreadOf(const std::vector<Eigen::Vector2d>& path) {
    Eigen::Matrix2d c = Eigen::Matrix2d::Zero();
    for (const Eigen::Vector2d& p : path)
        c += p * p.transpose();
    return path.empty() ? c : Eigen::Matrix2d(c / static_cast<double>(path.size()));
}

// Where the path lingers, in cells: place and share of the time.
std::vector<std::pair<Eigen::Vector2d, double>> cellsOf(const std::vector<Eigen::Vector2d>& path,
                                                        double cell) {
    std::map<std::pair<int, int>, int> counts;
    for (const Eigen::Vector2d& p : path)
        ++counts[{static_cast<int>(std::lround(p.x() / cell)), static_cast<int>(std::lround(p.y() / cell))}];
    std::vector<std::pair<Eigen::Vector2d, double>> cells;
    for (const auto& [at, n] : counts)
        cells.push_back({cell * Eigen::Vector2d(at.first, at.second),
                         static_cast<double>(n) / static_cast<double>(path.size())});
    return cells;
}

// Adds a star of this covariance, with the noise of its own light.
void addStar(Frame& frame, double x, double y, double electrons, const Eigen::Matrix2d& c, Random& random) {
    const double determinant = c.determinant();
    const double peak = electrons / (2.0 * std::numbers::pi * std::sqrt(determinant));
    const double reach = std::sqrt(2.0 * std::log(std::max(peak / 0.2, 3.0)));
    const int rx = static_cast<int>(std::ceil(reach * std::sqrt(c(0, 0)))) + 1;
    const int ry = static_cast<int>(std::ceil(reach * std::sqrt(c(1, 1)))) + 1;
    const Eigen::Matrix2d inverse = c.inverse();
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    for (int py = std::max(0, cy - ry); py <= std::min(frame.height - 1, cy + ry); ++py)
        for (int px = std::max(0, cx - rx); px <= std::min(frame.width - 1, cx + rx); ++px) {
            const double dx = px - x;
            const double dy = py - y;
            const double r2 =
                inverse(0, 0) * dx * dx + 2.0 * inverse(0, 1) * dx * dy + inverse(1, 1) * dy * dy;
            if (r2 > reach * reach)
                continue;
            const double signal = peak * std::exp(-0.5 * r2);
            frame.at(px, py) += static_cast<float>(signal + std::sqrt(signal) * random.gaussian());
        }
}
} // namespace

// Where it is then.
std::optional<SimStar> SimCamera::cometStar(Instant at) const {
    const auto& comet = night_.scenario_.comet;
    if (!comet)
        return std::nullopt;
    const TargetMotion motion{comet->east_arcsec_h, comet->north_arcsec_h, night_.scenario_.start};
    return SimStar{motion.placeAt(vectorFrom(comet->place), at), std::pow(10.0, -0.4 * comet->magnitude), 1};
}

Expected<SimCamera::Smear> SimCamera::smear(double exposure_s, const StopFlag& halt) {
    if (auto begun = begin(exposure_s); !begun)
        return tl::unexpected(begun.error());
    const bool whole = night_.clock_.sleep(exposure_s, halt);
    night_.awaitVoice(FaultKind::cameraHangs);
    Smear s;
    Scene& scene = s.scene;
    {
        const std::scoped_lock guard(night_.lock_);
        night_.catchUp();
        path_->push_back({night_.mechanics_.when(), attitude(night_.mechanics_.when())});
        std::vector<PathPoint> path = std::move(*path_);
        path_.reset();
        if (!whole)
            return tl::unexpected(haltedProblem());
        scene.start = path.front().when;
        scene.exposure_s = exposure_s;
        if (auto answers = link(scene.start); !answers)
            return tl::unexpected(answers.error());
        skyFor(scene.start + 0.5 * exposure_s);
        const size_t stride = 1 + path.size() / mostPoints;
        const PathPoint& half = path[path.size() / 2];
        const Vec3 axis = half.attitude.col(2);
        const ObservedFrame skyThen[] = {frame_->turnedTo(path.front().when), frame_->turnedTo(half.when),
                                         frame_->turnedTo(path.back().when)};
        const Vec3 axisIcrs = skyThen[1].icrs(axis);
        const double altitude = altitudeOf(axis);
        light(scene, axis, altitude);
        scene.believed = believed();
        const double scale = scale_arcsec_px_;
        const auto atFirst = [&](const Vec3& icrs) {
            return project(path.front().attitude, skyThen[0].seen(icrs));
        };
        const auto atHalf = [&](const Vec3& icrs) { return project(half.attitude, skyThen[1].seen(icrs)); };
        const auto atLast = [&](const Vec3& icrs) {
            return project(path.back().attitude, skyThen[2].seen(icrs));
        };
        Eigen::Vector2d middlePlace = Eigen::Vector2d::Zero();
        // What the air does faster is the width of the stars already.
        constexpr double slowEnough_s = 2.0;
        Instant airUntil = path.front().when;
        Eigen::Vector2d air = Eigen::Vector2d::Zero();
        for (size_t i = 0; i < path.size(); i += stride) {
            const PathPoint& p = path[i];
            if (p.when - airUntil > -1e-6) {
                const double dt = std::max(path[std::min(i + stride, path.size() - 1)].when - p.when,
                                           std::min(slowEnough_s, exposure_s));
                air = night_.air_.fieldMotion(p.when, dt, altitude) / scale;
                airUntil = p.when + dt;
            }
            s.path.push_back(project(p.attitude, frame_->turnedTo(p.when).seen(axisIcrs)) + air);
            middlePlace += s.path.back();
        }
        middlePlace /= static_cast<double>(s.path.size());
        for (Eigen::Vector2d& p : s.path)
            p -= middlePlace;
        const int width = setup_.camera.binnedWidth();
        const int height = setup_.camera.binnedHeight();
        const Eigen::Vector2d centre(0.5 * (width - 1), 0.5 * (height - 1));
        const double transparency = 0.5 * (night_.air_.transparency(scene.start, altitude) +
                                           night_.air_.transparency(scene.start + exposure_s, altitude));
        const Angle reach = Angle::fromArcsec(0.5 * std::hypot(width, height) * scale + 30.0);
        const double margin = 8.0 * scene.sigma_px + scene.disc_px;
        const Eigen::Vector2d first = atFirst(axisIcrs);
        const Eigen::Vector2d last = atLast(axisIcrs);
        const Eigen::Vector2d here = atHalf(axisIcrs);
        if (!scene.starless && transparency > 0.0)
            for (const SimStar& star : sky_.starsNear(axisIcrs, reach)) {
                const double electrons = scene.zero_e * transparency * star.light;
                if (electrons < 30.0)
                    break;
                const Eigen::Vector2d p = atHalf(star.icrs);
                const Eigen::Vector2d at = centre + p - here + middlePlace;
                if (at.x() < -margin || at.y() < -margin || at.x() > width + margin ||
                    at.y() > height + margin)
                    continue;
                scene.spots.push_back({at.x(), at.y(), electrons, 0});
                // What it moves beyond the middle of the field: the field turns.
                s.own.push_back((atLast(star.icrs) - last) - (atFirst(star.icrs) - first));
            }
        if (const auto comet = cometStar(scene.start + 0.5 * exposure_s); comet && !scene.starless) {
            const Vec3 before = cometStar(scene.start)->icrs;
            const Vec3 after = cometStar(scene.start + exposure_s)->icrs;
            const Eigen::Vector2d at = centre + atHalf(comet->icrs) - here + middlePlace;
            s.comet = Spot{at.x(), at.y(), scene.zero_e * transparency * comet->light, 0};
            const Eigen::Vector2d own = (atLast(after) - last) - (atFirst(before) - first);
            const double points = static_cast<double>(std::max<size_t>(s.path.size(), 2) - 1);
            for (size_t i = 0; i < s.path.size(); ++i)
                s.cometPath.push_back(s.path[i] + (static_cast<double>(i) / points - 0.5) * own);
        }
        for (const Fault& f : night_.scenario_.faults) {
            const double at = f.at_s - (scene.start - night_.scenario_.start);
            if (f.kind == FaultKind::satellite && at >= 0.0 && at < exposure_s)
                s.line = {width * (0.3 + 0.4 * std::fmod(f.at_s * 0.618, 1.0)), 0.5 * height,
                          std::fmod(f.at_s * 0.377, std::numbers::pi), f.amount};
        }
    }
    if (!night_.clock_.sleep(night_.scenario_.download_s, halt))
        return tl::unexpected(haltedProblem());
    return s;
}

Frame SimCamera::draw(const Smear& s) {
    const Scene& scene = s.scene;
    Frame frame = emptySky(scene, 0, 0, setup_.camera.binnedWidth(), setup_.camera.binnedHeight(), random_);
    // The optics' own image, and a pixel's width.
    const Eigen::Matrix2d own = (scene.sigma_px * scene.sigma_px + 1.0 / 12.0) * Eigen::Matrix2d::Identity();
    const Eigen::Matrix2d moved = spreadOf(s.path);
    double farthest = 0.0;
    for (const Eigen::Vector2d& p : s.path)
        farthest = std::max(farthest, p.norm());
    // Small motions make an ellipse; large ones leave the trace of their path.
    const bool traced = farthest > 2.5 * scene.sigma_px + 4.0 * std::sqrt(moved.trace());
    if (scene.masked) {
        drawSpikes(frame, scene, random_);
        digitise(frame, scene.exposure_s);
        return frame;
    }
    if (scene.disc_px > 0.0 && !traced) {
        drawDiscs(frame, scene, cellsOf(s.path, 0.7 * scene.core_px), random_);
        digitise(frame, scene.exposure_s);
        return frame;
    }
    const auto cells =
        traced ? cellsOf(s.path, 0.6 * scene.sigma_px) : std::vector<std::pair<Eigen::Vector2d, double>>{};
    for (size_t i = 0; i < scene.spots.size(); ++i) {
        const Spot& spot = scene.spots[i];
        const Eigen::Matrix2d turned = s.own[i] * s.own[i].transpose() / 12.0;
        if (!traced) {
            addStar(frame, spot.x, spot.y, spot.electrons, own + moved + turned, random_);
            continue;
        }
        for (const auto& [at, share] : cells)
            addStar(frame, spot.x + at.x(), spot.y + at.y(), share * spot.electrons, own + turned, random_);
    }
    if (s.comet)
        for (const auto& [at, share] : cellsOf(s.cometPath, 0.6 * scene.sigma_px))
            addStar(frame, s.comet->x + at.x(), s.comet->y + at.y(), share * s.comet->electrons, own,
                    random_);
    if (s.line) {
        const auto& [x, y, direction, amount] = *s.line;
        const double per_px = std::max(amount, 1.0) * setup_.camera.gain_e_adu;
        const double length = std::hypot(frame.width, frame.height);
        for (double t = -length; t < length; t += 0.5) {
            const double px = x + t * std::cos(direction);
            const double py = y + t * std::sin(direction);
            if (px > -9.0 && py > -9.0 && px < frame.width + 9.0 && py < frame.height + 9.0)
                addStar(frame, px, py, 0.5 * per_px, own, random_);
        }
    }
    digitise(frame, scene.exposure_s);
    return frame;
}

Expected<std::shared_ptr<const Frame>> SimCamera::exposeLong(double exposure_s, const StopFlag& halt) {
    auto seen = smear(exposure_s, halt);
    if (!seen)
        return tl::unexpected(seen.error());
    seen->scene.stamp = stampOf(seen->scene);
    return std::make_shared<const Frame>(runAtLowPriority([&] { return draw(*seen); }));
}

Expected<ImageTaken> SimCamera::imageDirectly(const ImageStep& step, const StopFlag& halt) {
    auto seen = smear(step.exposure_s, halt);
    if (!seen)
        return tl::unexpected(seen.error());
    const Scene& scene = seen->scene;
    ImageTaken taken;
    taken.start = night_.computer_.shown(scene.start);
    taken.exposure_s = step.exposure_s;
    FrameLook& look = taken.look;
    const CameraSpec& c = setup_.camera;
    const double variance = scene.sky_e + c.readNoise_e * c.readNoise_e;
    const double area = 4.0 * std::numbers::pi * scene.sigma_px * scene.sigma_px;
    const Eigen::Matrix2d still =
        (scene.sigma_px * scene.sigma_px + 1.0 / 12.0) * Eigen::Matrix2d::Identity();
    const Eigen::Matrix2d shape = spreadOf(seen->path) + still;
    if (seen->comet) {
        const Eigen::Matrix2d m = spreadOf(seen->cometPath) + still;
        look.shapes.push_back({seen->comet->x, seen->comet->y, 1000.0, {m(0, 0), m(1, 1), m(0, 1)}});
    }
    for (size_t i = 0; i < scene.spots.size(); ++i) {
        const Spot& s = scene.spots[i];
        const double snr = s.electrons / std::sqrt(s.electrons + area * variance);
        look.stars += snr > 10.0;
        if (snr < 20.0 || s.electrons > c.fullWell_e * 0.5 * area ||
            look.shapes.size() >= FrameLook::mostShapes)
            continue;
        // Ellipticity and size of one star are known to about 2 over its SNR, its place to a third of that.
        const Eigen::Matrix2d m = shape + seen->own[i] * seen->own[i].transpose() / 12.0;
        const double sigma = 1.4 / snr * m.trace();
        const double place = 0.7 * scene.sigma_px / snr;
        look.shapes.push_back({s.x + place * random_.gaussian(),
                               s.y + place * random_.gaussian(),
                               snr,
                               {m(0, 0) + sigma * random_.gaussian(), m(1, 1) + sigma * random_.gaussian(),
                                m(0, 1) + 0.7 * sigma * random_.gaussian()}});
    }
    look.background_adu = scene.sky_e / c.gain_e_adu + night_.scenario_.offset_adu;
    look.noise_adu = std::sqrt(variance) / c.gain_e_adu;
    look.tracks = seen->line ? 1 : 0;
    combineShapes(look, c.binnedWidth(), c.binnedHeight());
    look.hfd_px = look.fwhm_px.value;
    return taken;
}

} // namespace nordstjerna
