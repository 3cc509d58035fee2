#include "edge/devices/sim/sim_camera.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/statistics.h"
#include "core/image/star_measure.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/noise_table.h"
#include "edge/runner.h"

namespace nordstjerna {

namespace {
// Electrons a second and square metre from a star of magnitude 0 through a clear filter, mirrors and silicon.
constexpr double zero_e_s_m2 = 1.1e10;

// Whether a place on a sensor lies near one of the expected stars. Thousands of places are asked for: those
// far from all are told by the cell they lie in.
class NearExpected {
public:
    NearExpected(const std::vector<ExpectedStar>& expected, double slack_px, int width, int height)
        : expected_(expected), slack_px_(slack_px), columns_(width / cell_px + 1),
          rows_(height / cell_px + 1), near_(static_cast<size_t>(columns_) * static_cast<size_t>(rows_), 0) {
        for (const ExpectedStar& e : expected) {
            const double reach = e.search_px + slack_px;
            for (int row = cellOf(e.y - reach, rows_); row <= cellOf(e.y + reach, rows_); ++row)
                for (int column = cellOf(e.x - reach, columns_); column <= cellOf(e.x + reach, columns_);
                     ++column)
                    near_[index(column, row)] = 1;
        }
    }
    bool operator()(const Eigen::Vector2d& p) const {
        return near_[index(cellOf(p.x(), columns_), cellOf(p.y(), rows_))] != 0 &&
               std::any_of(expected_.begin(), expected_.end(), [&](const ExpectedStar& e) {
                   const double reach = e.search_px + slack_px_;
                   return std::abs(p.x() - e.x) < reach && std::abs(p.y() - e.y) < reach;
               });
    }

private:
    static constexpr int cell_px = 32;
    // What lies beside the sensor belongs to the cell at its edge.
    static int cellOf(double at, int cells) {
        return static_cast<int>(std::clamp(at / cell_px, 0.0, static_cast<double>(cells - 1)));
    }
    size_t index(int column, int row) const {
        return static_cast<size_t>(row) * static_cast<size_t>(columns_) + static_cast<size_t>(column);
    }
    const std::vector<ExpectedStar>& expected_;
    double slack_px_;
    int columns_, rows_;
    std::vector<char> near_;
};
} // namespace

SimCamera::SimCamera(SimulatedNight& night, SimCameraSetup setup)
    : night_(night), setup_(std::move(setup)), gain_(setup_.gain.begin),
      scale_arcsec_px_(scaleArcsecPx(setup_.camera.pixel_um, setup_.focal_mm, setup_.camera.bin)),
      sky_(night.index_, night.scenario_.skySeries),
      random_(mixBits(night.scenario_.seed ^ mixBits(static_cast<std::uint64_t>(setup_.camera.width)))),
      whims_(mixBits(night.scenario_.seed ^ 0xc1)) {
    Random place(mixBits(static_cast<std::uint64_t>(setup_.camera.width) * 7919ULL));
    for (int i = 0; i < setup_.hotPixels; ++i)
        hot_.push_back({static_cast<int>(place.uniform(0, setup_.camera.binnedWidth())),
                        static_cast<int>(place.uniform(0, setup_.camera.binnedHeight())),
                        std::pow(10.0, place.uniform(2.0, 3.7))});
}

Angle SimCamera::roll(Instant at) const {
    return setup_.roll + night_.turned(setup_.guide, at);
}

Mat3 SimCamera::attitude(Instant at) const {
    const Mat3 tube = night_.mechanics_.attitude(at, roll(at), !setup_.guide);
    const Scenario& s = night_.scenario_;
    if (!setup_.guide || (s.guideAside_arcmin == 0.0 && s.guideAbove_arcmin == 0.0))
        return tube;
    const double arcmin = arcsecPerRad / 60.0;
    const Mat3 aimed = (Eigen::AngleAxisd(s.guideAside_arcmin / arcmin, Vec3::UnitY()) *
                        Eigen::AngleAxisd(s.guideAbove_arcmin / arcmin, Vec3::UnitX()))
                           .toRotationMatrix();
    return tube * aimed;
}

void SimCamera::skyFor(Instant middle) {
    if (!frame_ || std::abs(middle - frame_->when()) > 900.0)
        frame_.emplace(night_.scenario_.rig.site, middle);
}

Expected<void> SimCamera::link(Instant start) const {
    if (!night_.air_.active(FaultKind::cameraLink, start) &&
        !night_.air_.active(FaultKind::cameraLink, night_.mechanics_.when()))
        return {};
    return transientProblem(Text::say("No frame came from the %1.").arg(setup_.name),
                            Text::say("Its link is silent."), Text::say("Check the camera's cable."));
}

Equatorial SimCamera::believed() const {
    return equatorialFrom(frame_->turnedTo(night_.mechanics_.when()).icrsFrom(night_.mechanics_.believed()));
}

double SimCamera::altitudeOf(const Vec3& axis) {
    return std::max(0.02, std::asin(std::clamp(axis.z(), -1.0, 1.0)));
}

Eigen::Vector2d SimCamera::project(const Mat3& from, const Vec3& enu) const {
    const Vec3 c = from.transpose() * enu;
    const double xSign = setup_.mirrored ? 1.0 : -1.0; // looking out, east is left of north
    return Eigen::Vector2d(xSign * c.x() / c.z(), c.y() / c.z()) * (arcsecPerRad / scale_arcsec_px_);
}

Expected<SimCamera::Scene> SimCamera::observe(double exposure_s, const StopFlag& halt,
                                              const std::vector<ExpectedStar>* only, double slack_px) {
    const Scenario& s = night_.scenario_;
    const double scale = scale_arcsec_px_;
    Scene scene;
    scene.exposure_s = exposure_s;
    constexpr int moments = 5;
    Mat3 attitudes[moments];
    Mat3 middleAttitude;
    Instant middle;
    Instant times[moments];
    {
        const std::scoped_lock guard(night_.lock_);
        night_.catchUp();
        scene.start = night_.mechanics_.when();
        middle = scene.start + 0.5 * exposure_s;
        for (int i = 0; i < moments; ++i) {
            times[i] = scene.start + exposure_s * (i + 0.5) / moments;
            attitudes[i] = attitude(times[i]);
        }
        middleAttitude = attitude(middle);
    }
    const double jitter_s = s.downloadJitter_s > 0.0 ? s.downloadJitter_s * whims_.uniform() : 0.0;
    if (!night_.clock_.sleep(exposure_s + s.download_s + jitter_s, halt))
        return tl::unexpected(haltedProblem());
    night_.awaitVoice(FaultKind::cameraHangs);

    const std::scoped_lock guard(night_.lock_);
    night_.catchUp();
    if (auto answers = link(scene.start); !answers)
        return tl::unexpected(answers.error());
    skyFor(middle);
    const ObservedFrame seen = frame_->turnedTo(middle);
    const Vec3 axis = middleAttitude.col(2);
    const Vec3 axisIcrs = seen.icrs(axis);
    const double altitude = altitudeOf(axis);
    scene.believed = believed();

    // Mean motion of the field during the exposure, from the direction that stood on the axis in the middle.
    Eigen::Vector2d motion = Eigen::Vector2d::Zero();
    for (int i = 0; i < moments; ++i)
        motion += project(attitudes[i], frame_->turnedTo(times[i]).seen(axisIcrs)) / moments;
    if (watched_) {
        trueShift_.setZero();
        for (int i = 0; i < moments; ++i)
            trueShift_ += project(attitudes[i], frame_->turnedTo(times[i]).seen(*watched_)) / moments;
    }
    motion += night_.air_.fieldMotion(scene.start, exposure_s, altitude) / scale;

    const int width = setup_.camera.binnedWidth();
    const int height = setup_.camera.binnedHeight();
    const Eigen::Vector2d centre(0.5 * (width - 1), 0.5 * (height - 1));
    const double transparency = night_.air_.transparency(middle, altitude);
    const Angle reach = Angle::fromArcsec(0.5 * std::hypot(width, height) * scale + 30.0);
    light(scene, axis, altitude);
    const double margin = 6.0 * scene.sigma_px + scene.disc_px;

    // Rough place of a star by one rotation from ICRS to the camera, good to a few pixels: the shear of the
    // air is left out. It saves the exact way for stars outside the windows.
    Mat3 rough;
    {
        const Vec3 above = (axis + 0.005 * middleAttitude.col(1)).normalized();
        const Vec3 up = seen.icrs(above);
        const Vec3 y = (up - axisIcrs * up.dot(axisIcrs)).normalized();
        rough << y.cross(axisIcrs), y, axisIcrs;
    }
    std::optional<NearExpected> near;
    if (only)
        near.emplace(*only, slack_px, width, height);
    const SimAir::Apart apart = night_.air_.starsApart(scene.start, exposure_s, altitude);
    const HorizonProfile& horizon = night_.scenario().rig.horizon;
    if (!scene.starless && transparency > 0.0)
        for (const SimStar& star : sky_.starsNear(axisIcrs, reach)) {
            const double electrons = scene.zero_e * transparency * star.light;
            if (electrons < 3.0)
                break; // the rest is fainter still
            if (near && !(*near)(centre + project(rough, star.icrs) + motion))
                continue;
            const Vec3 enu = seen.seen(star.icrs);
            if (scene.partlyHidden && horizon.hides(enu))
                continue;
            const Eigen::Vector2d place = project(middleAttitude, enu);
            const Eigen::Vector2d p = centre + place + motion + apart(star.id, place * scale / 60.0) / scale;
            if (p.x() < -margin || p.y() < -margin || p.x() > width + margin || p.y() > height + margin)
                continue;
            scene.spots.push_back({p.x(), p.y(), electrons, star.id});
        }
    if (setup_.guide && s.staleFrames > 0.0) {
        std::vector<Spot> seenNow = scene.spots;
        if (whims_.uniform() < s.staleFrames && !lastSpots_.empty())
            scene.spots = lastSpots_;
        lastSpots_ = std::move(seenNow);
    }
    return scene;
}

void SimCamera::light(Scene& scene, const Vec3& axis, double altitude_rad) const {
    const Scenario& s = night_.scenario();
    const double scale = scale_arcsec_px_;
    const Instant middle = scene.start + 0.5 * scene.exposure_s;
    const bool covered = setup_.guide && night_.covered_;
    const bool hidden = s.rig.horizon.hides(axis);
    scene.partlyHidden = horizonRuns(axis, hidden);
    scene.starless = covered || (hidden && !scene.partlyHidden);
    blur(scene, altitude_rad, middle);
    scene.zero_e = zero_e_s_m2 * std::numbers::pi * std::pow(0.0005 * setup_.aperture_mm, 2) *
                   scene.exposure_s * night_.passes(setup_.guide);
    const double sky = scene.zero_e * std::pow(10.0, -0.4 * night_.air_.skyMagnitude(middle)) * scale * scale;
    scene.sky_e = (covered ? 0.0 : hidden ? 0.2 : 1.0) * sky + darkCurrent() * scene.exposure_s;
    scene.sensor_c = std::round(10.0 * night_.sensor_c(setup_.guide)) / 10.0;
    scene.lamp_adu = night_.air_.lamp_adu_s(middle) * scene.exposure_s * (covered ? 0.1 : 1.0);
}

// Through the field: it hides a part of it. By the field's rim, which is enough for what stands on the
// ground.
bool SimCamera::horizonRuns(const Vec3& axis, bool hidden) const {
    const HorizonProfile& horizon = night_.scenario().rig.horizon;
    if (horizon.points().empty())
        return false;
    const CameraSpec& c = setup_.camera;
    const Angle reach =
        Angle::fromArcsec(0.5 * std::hypot(c.binnedWidth(), c.binnedHeight()) * scale_arcsec_px_);
    const Vec3 across = axis.cross(Vec3::UnitZ()).normalized(), up = across.cross(axis);
    constexpr int places = 8;
    for (int i = 0; i < places; ++i) {
        const double a = 2.0 * std::numbers::pi * i / places;
        const Vec3 rim = axis * cos(reach) + sin(reach) * (std::cos(a) * across + std::sin(a) * up);
        if (horizon.hides(rim) != hidden)
            return true;
    }
    return false;
}

// Doubles with every six degrees; a scenario gives it for an uncooled sensor.
double SimCamera::darkCurrent() const {
    constexpr double doubling_c = 6.0;
    return night_.scenario_.dark_e_s *
           std::exp2((night_.sensor_c(setup_.guide) - night_.sensor_c(true)) / doubling_c);
}

void SimCamera::blur(Scene& scene, double altitude_rad, Instant at) const {
    const double scale = scale_arcsec_px_;
    // Out of focus the light cone is cut at a disc as wide as the shift over the focal ratio.
    const double off_um = night_.defocus_um(setup_.guide, at);
    const double px_um = setup_.camera.pixel_um * setup_.camera.bin;
    const double radius_px = 0.5 * std::abs(off_um) * setup_.aperture_mm / setup_.focal_mm / px_um;
    const double optics_arcsec = setup_.blur_um / setup_.focal_mm * 206.264806;
    // Droplets scatter some of what they let through.
    const double scattered = 1.0 + 0.3 * night_.air_.dew(at);
    scene.core_px = scattered * std::hypot(night_.air_.fwhm_arcsec(at, altitude_rad), optics_arcsec) /
                    fwhmPerSigma / scale;
    // A ring spreads its light as wide as a Gaussian of this variance.
    scene.sigma_px = std::sqrt(scene.core_px * scene.core_px +
                               0.25 * radius_px * radius_px * (1.0 + std::pow(setup_.obstruction, 2)));
    scene.disc_px = radius_px > 0.7 * scene.core_px ? radius_px : 0.0;
    scene.masked = setup_.guide ? night_.guideMask_ : night_.imagingMask_;
    scene.spikes_px = std::copysign(radius_px, off_um);
}

CameraSpec SimCamera::specNow() const {
    CameraSpec c = setup_.camera;
    const SimGainSetup& g = setup_.gain;
    if (!g.fitted)
        return c;
    const double fewer = std::pow(10.0, (g.begin - gain_) / g.tenfold); // counts, more electrons each
    c.gain_e_adu *= fewer;
    c.readNoise_e *= std::sqrt(1.0 - g.converter + g.converter * fewer * fewer);
    return c;
}

Expected<std::optional<GainState>> SimCamera::gain(const StopFlag&) {
    if (!setup_.gain.fitted)
        return std::nullopt;
    return GainState{gain_, setup_.gain.lowest, setup_.gain.highest};
}

Expected<void> SimCamera::setGain(double setting, const StopFlag&) {
    const SimGainSetup& g = setup_.gain;
    if (!g.fitted || !(setting >= g.lowest && setting <= g.highest))
        return problem(Text::say("The guide camera does not take that gain."),
                       g.fitted ? Text::say("It goes from %1 to %2.")
                                      .arg(static_cast<int>(g.lowest))
                                      .arg(static_cast<int>(g.highest))
                                : Text::say("It has none that can be set."),
                       Text::say("Correct the gain setting at Rig."));
    gain_ = std::round(setting);
    return {};
}

// Its driver knows what was set, and the camera's figures as they are printed in its leaflet: of the first
// setting.
FrameInfo SimCamera::infoOf(const Scene& scene) const {
    FrameInfo info;
    info.start = night_.computer_.shown(scene.start);
    info.exposure_s = scene.exposure_s;
    info.bin = setup_.camera.bin;
    info.pixel_um = setup_.camera.pixel_um * setup_.camera.bin;
    info.focal_mm = setup_.focal_mm;
    info.gain_e_adu = setup_.camera.gain_e_adu;
    info.saturation_adu = setup_.camera.saturation_adu();
    if (setup_.gain.fitted)
        info.gainSetting = gain_;
    info.pointing = scene.believed;
    info.camera = setup_.name;
    info.bayer = setup_.colour;
    info.temperature_c = scene.sensor_c;
    return info;
}

Frame SimCamera::emptySky(const Scene& scene, int x0, int y0, int width, int height, Random& random) const {
    const CameraSpec c = specNow();
    Frame frame(width, height);
    frame.x0 = x0;
    frame.y0 = y0;
    frame.info = infoOf(scene);
    const double flat = scene.sky_e + scene.lamp_adu * c.gain_e_adu;
    fillGaussianNoise(frame.pixels.data(), frame.pixels.size(), static_cast<float>(flat),
                      static_cast<float>(std::sqrt(flat + c.readNoise_e * c.readNoise_e)), random);
    if (setup_.guide && night_.scenario_.guideLeak_e_s > 0.0 && !scene.starless)
        for (int x = 0; x < width; ++x) {
            const double leak = night_.scenario_.guideLeak_e_s * scene.exposure_s *
                                static_cast<double>(x0 + x) / setup_.camera.width * setup_.camera.bin;
            const double noise = std::sqrt(leak);
            for (int y = 0; y < height; ++y)
                frame.at(x, y) += static_cast<float>(leak + noise * random.gaussian());
        }
    return frame;
}

Frame SimCamera::render(const Scene& scene, int x0, int y0, int width, int height, Random& random) const {
    // Electrons: sky and read noise together, stars with noise of their own on top.
    Frame frame = emptySky(scene, x0, y0, width, height, random);
    if (scene.masked || scene.disc_px > 0.0) {
        if (scene.masked)
            drawSpikes(frame, scene, random);
        else
            drawDiscs(frame, scene, {{Eigen::Vector2d::Zero(), 1.0}}, random);
        digitise(frame, scene.exposure_s);
        return frame;
    }
    std::vector<double> row;
    const std::vector<Piece> pieces = piecesOf(scene);
    for (const Spot& spot : scene.spots)
        for (const Piece& piece : pieces)
            drawRound(frame,
                      {spot.x + piece.off.x(), spot.y + piece.off.y(), piece.share * spot.electrons, spot.id},
                      piece.sigma_px, row, random);
    digitise(frame, scene.exposure_s);
    return frame;
}

void SimCamera::digitise(Frame& frame, double exposure_s) const {
    for (const HotPixel& h : hot_)
        if (h.x >= frame.x0 && h.y >= frame.y0 && h.x < frame.x0 + frame.width &&
            h.y < frame.y0 + frame.height)
            frame.at(h.x - frame.x0, h.y - frame.y0) += static_cast<float>(h.e_s * exposure_s);
    if (setup_.colour) // red, two greens, blue pass unequal shares
        for (int y = 0; y < frame.height; ++y)
            for (int x = 0; x < frame.width; ++x) {
                const bool oddX = (x + frame.x0) % 2;
                const bool oddY = (y + frame.y0) % 2;
                frame.at(x, y) *= oddX == oddY ? (oddX ? 0.35F : 0.5F) : 0.7F;
            }
    const CameraSpec c = specNow();
    const auto perAdu = static_cast<float>(1.0 / c.gain_e_adu);
    const auto offset = static_cast<float>(night_.scenario_.offset_adu + 0.5);
    const auto top = static_cast<float>(c.saturation_adu());
    for (float& v : frame.pixels)
        // Counts are whole; the cast rounds down and, unlike floor, runs four at a time on every machine.
        v = static_cast<float>(static_cast<int>(std::clamp(v * perAdu + offset, 0.0F, top)));
}

Expected<std::shared_ptr<const Frame>> SimCamera::expose(double exposure_s, const StopFlag& halt) {
    auto taken = setup_.guide ? exposeShort(exposure_s, halt) : exposeLong(exposure_s, halt);
    if (taken && last_ && last_->pixels.size() == (*taken)->pixels.size() && frozen()) {
        Frame again = *last_;
        again.info = (*taken)->info;
        taken = std::make_shared<const Frame>(std::move(again));
    }
    if (taken)
        last_ = *taken;
    return taken;
}

Expected<std::shared_ptr<const Frame>> SimCamera::exposeShort(double exposure_s, const StopFlag& halt) {
    auto scene = observe(exposure_s, halt);
    if (!scene)
        return tl::unexpected(scene.error());
    scene->stamp = stampOf(*scene);
    return std::make_shared<const Frame>(
        render(*scene, 0, 0, setup_.camera.binnedWidth(), setup_.camera.binnedHeight(), random_));
}

bool SimCamera::frozen() {
    const std::scoped_lock guard(night_.lock_);
    return night_.air_.active(FaultKind::frozen, night_.mechanics_.when());
}

Eigen::Vector2d SimCamera::trueShift() {
    const std::scoped_lock guard(night_.lock_);
    if (!watched_) {
        night_.catchUp();
        const Instant now = night_.mechanics_.when();
        watched_ = ObservedFrame(night_.scenario_.rig.site, now)
                       .icrs(night_.mechanics_.attitude(now, roll(now)).col(2));
    }
    return trueShift_;
}

Expected<void> SimCamera::begin(double) {
    const std::scoped_lock guard(night_.lock_);
    night_.catchUp();
    if (path_)
        return problem(Text::say("The camera is exposing already."), Text::say("Its shutter is open."),
                       Text::say("Wait for the frame."));
    path_.emplace();
    path_->push_back({night_.mechanics_.when(), attitude(night_.mechanics_.when())});
    return {};
}

void SimCamera::followMount(Instant to) {
    if (!path_)
        return;
    constexpr double step_s = 0.25;
    for (Instant t = path_->back().when + step_s; t < to; t = t + step_s)
        path_->push_back({t, attitude(t)});
}

SimCamera::Trail SimCamera::trailSeen(std::vector<PathPoint> path, const Scene& scene, double altitude_rad) {
    const double scale = scale_arcsec_px_;
    Trail trail;
    for (size_t i = 0; i < path.size(); ++i) {
        const PathPoint& p = path[i];
        trail.skies.push_back(frame_->turnedTo(p.when));
        const double dt = i + 1 < path.size() ? path[i + 1].when - p.when : 0.25;
        trail.air.push_back(night_.air_.fieldMotion(p.when, dt, altitude_rad) / scale);
    }
    trail.transparency = night_.air_.transparency(scene.start, altitude_rad);
    trail.path = std::move(path);
    return trail;
}

std::vector<SimCamera::Spot> SimCamera::trailSpots(const Trail& trail) {
    const double scale = scale_arcsec_px_;
    const Eigen::Vector2d centre(0.5 * (setup_.camera.binnedWidth() - 1),
                                 0.5 * (setup_.camera.binnedHeight() - 1));
    const std::vector<PathPoint>& path = trail.path;
    const double zero_e_s =
        zero_e_s_m2 * std::numbers::pi * std::pow(0.0005 * setup_.aperture_mm, 2) * trail.transparency;
    const Angle reach = Angle::fromArcsec(
        0.5 * std::hypot(setup_.camera.binnedWidth(), setup_.camera.binnedHeight()) * scale + 900.0);
    const Vec3 middle = trail.skies[path.size() / 2].icrs(path[path.size() / 2].attitude.col(2));
    std::vector<Spot> spots;
    constexpr size_t brightest = 200; // fainter ones drown when drawn out into trails
    for (const SimStar& star : sky_.starsNear(middle, reach)) {
        if (spots.size() > brightest * path.size())
            break;
        const double rate = zero_e_s * star.light;
        std::optional<Eigen::Vector2d> last;
        for (size_t i = 0; i < path.size(); ++i) {
            const Eigen::Vector2d at =
                centre + project(path[i].attitude, trail.skies[i].seen(star.icrs)) + trail.air[i];
            if (last) {
                const double dt = path[i].when - path[i - 1].when;
                const int pieces = 1 + static_cast<int>((at - *last).norm() / 0.7);
                for (int k = 0; k < pieces; ++k) {
                    const Eigen::Vector2d p = *last + (at - *last) * ((k + 0.5) / pieces);
                    spots.push_back({p.x(), p.y(), rate * dt / pieces, 0});
                }
            }
            last = at;
        }
    }
    return spots;
}

Expected<std::shared_ptr<const Frame>> SimCamera::finish(const StopFlag& halt) {
    Scene scene;
    Trail trail;
    {
        // Drawing the trails takes a while; the mount must answer meanwhile.
        const std::scoped_lock guard(night_.lock_);
        night_.catchUp();
        if (!path_)
            return problem(Text::say("The camera has no open exposure."), "", Text::say("Begin one first."));
        if (halt) {
            path_.reset();
            return tl::unexpected(haltedProblem());
        }
        path_->push_back({night_.mechanics_.when(), attitude(night_.mechanics_.when())});
        std::vector<PathPoint> path = std::move(*path_);
        path_.reset();
        scene.start = path.front().when;
        scene.exposure_s = path.back().when - scene.start;
        const Instant middle = scene.start + 0.5 * scene.exposure_s;
        skyFor(middle);
        const Vec3 axis = path[path.size() / 2].attitude.col(2);
        const double altitude = altitudeOf(axis);
        light(scene, axis, altitude);
        scene.believed = believed();
        trail = trailSeen(std::move(path), scene, altitude);
    }
    Frame frame = emptySky(scene, 0, 0, setup_.camera.binnedWidth(), setup_.camera.binnedHeight(), random_);
    Frame light(frame.width, frame.height);
    if (!scene.starless)
        for (const Spot& s : trailSpots(trail)) {
            const double variance = 2.0 * scene.sigma_px * scene.sigma_px;
            const int r = static_cast<int>(std::ceil(3.5 * scene.sigma_px));
            const int cx = static_cast<int>(std::lround(s.x));
            const int cy = static_cast<int>(std::lround(s.y));
            for (int y = std::max(0, cy - r); y <= std::min(frame.height - 1, cy + r); ++y)
                for (int x = std::max(0, cx - r); x <= std::min(frame.width - 1, cx + r); ++x)
                    light.at(x, y) += static_cast<float>(
                        s.electrons / (std::numbers::pi * variance) *
                        std::exp(-((x - s.x) * (x - s.x) + (y - s.y) * (y - s.y)) / variance));
        }
    for (size_t i = 0; i < light.pixels.size(); ++i)
        if (light.pixels[i] > 0.0F)
            frame.pixels[i] +=
                static_cast<float>(light.pixels[i] + std::sqrt(light.pixels[i]) * random_.gaussian());
    digitise(frame, scene.exposure_s);
    return std::make_shared<const Frame>(std::move(frame));
}

Expected<Camera::Windows> SimCamera::exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                                   const StopFlag& halt) {
    constexpr double beyond_px = 25.0; // the windows reach that far, with the wings of what lies outside
    auto scene = observe(exposure_s, halt, &stars, beyond_px);
    if (!scene)
        return tl::unexpected(scene.error());
    scene->stamp = stampOf(*scene);
    Windows windows;
    windows.middle = night_.computer_.shown(scene->start) + 0.5 * exposure_s;
    for (const ExpectedStar& e : stars) {
        const int half = static_cast<int>(std::ceil(e.search_px)) + 14;
        const int x0 =
            std::clamp(static_cast<int>(std::lround(e.x)) - half, 0, setup_.camera.binnedWidth() - 8);
        const int y0 =
            std::clamp(static_cast<int>(std::lround(e.y)) - half, 0, setup_.camera.binnedHeight() - 8);
        const int width = std::min(2 * half + 1, setup_.camera.binnedWidth() - x0);
        const int height = std::min(2 * half + 1, setup_.camera.binnedHeight() - y0);
        windows.frames.push_back(render(*scene, x0, y0, width, height, random_));
    }
    if (windows.frames.size() == lastWindows_.size() && frozen())
        for (size_t i = 0; i < lastWindows_.size(); ++i)
            if (windows.frames[i].pixels.size() == lastWindows_[i].pixels.size())
                windows.frames[i].pixels = lastWindows_[i].pixels;
    lastWindows_ = windows.frames;
    return windows;
}

Expected<StarsTracked> SimCamera::trackDirectly(const TrackStep& step, const StopFlag& halt) {
    constexpr double beyond_px = 8.0; // a star's own motion, and the error of the places
    auto scene = observe(step.exposure_s, halt, &step.stars, beyond_px);
    if (!scene)
        return tl::unexpected(scene.error());
    StarsTracked tracked;
    tracked.middle = night_.computer_.shown(scene->start) + 0.5 * step.exposure_s;
    const CameraSpec c = specNow();
    const double variance = scene->sky_e + c.readNoise_e * c.readNoise_e;
    const double area = 4.0 * std::numbers::pi * scene->sigma_px * scene->sigma_px;
    for (const ExpectedStar& e : step.stars) {
        const auto found = std::find_if(scene->spots.begin(), scene->spots.end(), [&](const Spot& s) {
            // The brightest, they are in order.
            return (s.x - e.x) * (s.x - e.x) + (s.y - e.y) * (s.y - e.y) < e.search_px * e.search_px;
        });
        std::optional<Star> star;
        if (found != scene->spots.end()) {
            const double snr = found->electrons / std::sqrt(found->electrons + area * variance);
            if (snr > 5.0) {
                Star s;
                // Photon and background parts of the centroid's variance.
                s.sigmaX = s.sigmaY =
                    scene->sigma_px *
                    std::sqrt(1.0 / found->electrons + 2.0 * area * variance / std::pow(found->electrons, 2));
                s.x = found->x + s.sigmaX * random_.gaussian();
                s.y = found->y + s.sigmaY * random_.gaussian();
                s.snr = snr;
                s.hfd = scene->sigma_px * fwhmPerSigma;
                s.flux = found->electrons / c.gain_e_adu;
                star = s;
            }
        }
        tracked.stars.push_back(star);
    }
    return tracked;
}

} // namespace nordstjerna
