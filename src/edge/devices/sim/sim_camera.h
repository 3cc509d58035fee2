// A simulated camera on the simulated mount: real stars, projected and rendered.
#pragma once

#include <array>
#include <atomic>
#include <optional>

#include "core/base/random.h"
#include "edge/devices/sim/defocus_stamp.h"
#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

struct SimCameraSetup {
    CameraSpec camera;
    double focal_mm = 0.0;
    double aperture_mm = 0.0;
    double blur_um = 5.0;
    Angle roll;
    bool mirrored = false;
    int hotPixels = 0;
    bool colour = false;
    bool guide = false; // focuser and cover belong to the guide scope
    std::string name;
    double obstruction = 0.0;
    Eigen::Vector2d coma_um = Eigen::Vector2d::Zero(); // tail of each star
    SimGainSetup gain;
};

class SimCamera : public Camera {
public:
    SimCamera(SimulatedNight& night, SimCameraSetup setup);
    Expected<std::shared_ptr<const Frame>> expose(double exposure_s, const StopFlag& halt) override;
    Expected<Windows> exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                    const StopFlag& halt) override;
    Expected<void> begin(double exposure_s) override;
    Expected<std::shared_ptr<const Frame>> finish(const StopFlag& halt) override;
    Expected<std::optional<GainState>> gain(const StopFlag& halt) override;
    Expected<void> setGain(double setting, const StopFlag& halt) override;
    // A long exposure, measured without being rendered.
    Expected<ImageTaken> imageDirectly(const ImageStep& step, const StopFlag& halt);
    // While the shutter is open: notes the mount's path before it moves on. Call with the night's lock held.
    void followMount(Instant to);
    // The same without rendering.
    Expected<StarsTracked> trackDirectly(const TrackStep& step, const StopFlag& halt);
    // Truth, for tests: as it is with the present gain.
    CameraSpec specNow() const;
    // Truth, for tests: where the sky that stood in the middle at the first call was, without the air, during
    // the last exposure; px from the middle.
    Eigen::Vector2d trueShift();

private:
    struct Spot {
        double x, y;      // px
        double electrons; // collected over the exposure
        std::uint64_t id;
    };
    // All that an exposure sees, before noise.
    struct Scene {
        std::vector<Spot> spots; // brightest first
        double sigma_px = 1.0;   // of the star images, both coordinates alike
        double disc_px = 0.0;    // radius of the disc out of focus, where it is wider than the blur
        double core_px = 1.0;    // sigma of the blur without it
        double spikes_px = 0.0;  // with a mask: radius of the cone, signed, outwards of the focus positive
        bool masked = false;
        double sky_e = 0.0; // per pixel, dark current included
        double lamp_adu = 0.0;
        double sensor_c = 5.0;
        Instant start;
        double exposure_s = 0.0;
        Equatorial believed;
        double zero_e = 0.0;       // electrons of a star of magnitude 0 over the exposure, without cloud
        bool starless = false;     // behind the horizon profile or the cover
        bool partlyHidden = false; // by the horizon profile
        std::optional<DefocusStamp> stamp; // how a disc is drawn, for scenes that are
    };
    bool horizonRuns(const Vec3& axis, bool hidden) const;
    // Blur, sky, lamp and darkness of a scene whose start and length are known.
    double darkCurrent() const; // e a second
    void light(Scene& scene, const Vec3& axis, double altitude_rad) const;
    // With `only`, just the stars near those places are worked out, so far beyond where they are searched for
    // (which allows for a few pixels of error).
    Expected<Scene> observe(double exposure_s, const StopFlag& halt,
                            const std::vector<ExpectedStar>* only = nullptr, double slack_px = 0.0);
    struct Piece { // of a star's image
        Eigen::Vector2d off;
        double share, sigma_px;
    };
    std::vector<Piece> piecesOf(const Scene& scene) const;
    // row: room to work in.
    static void drawRound(Frame& frame, const Spot& spot, double sigma_px, std::vector<double>& row,
                          Random& random);
    Frame render(const Scene& scene, int x0, int y0, int width, int height, Random& random) const;
    std::optional<DefocusStamp> stampOf(const Scene& scene) const;
    // Smeared along a path: places about the mean, and the share of the light at each.
    static void drawDiscs(Frame& frame, const Scene& scene,
                          const std::vector<std::pair<Eigen::Vector2d, double>>& path, Random& random);
    void drawSpikes(Frame& frame, const Scene& scene, Random& random) const;
    Frame emptySky(const Scene& scene, int x0, int y0, int width, int height, Random& random) const;
    void digitise(Frame& frame, double exposure_s) const;
    void blur(Scene& scene, double altitude_rad, Instant at) const;
    // With the night's lock held: the sky frame for a moment, whether the link held since the start of an
    // exposure, where the mount believes to point.
    void skyFor(Instant middle);
    Expected<void> link(Instant start) const;
    bool frozen(); // what was sent last is sent again
    Equatorial believed() const;
    static double altitudeOf(const Vec3& axis);
    // A direction on the sensor, px from its middle.
    Eigen::Vector2d project(const Mat3& attitude, const Vec3& enu) const;
    std::optional<SimStar> cometStar(Instant at) const;
    Angle roll(Instant at) const;
    Mat3 attitude(Instant at) const; // the imaging telescope bends against the mount
    FrameInfo infoOf(const Scene& scene) const;

    SimulatedNight& night_;
    SimCameraSetup setup_;
    std::atomic<double> gain_; // setting
    double scale_arcsec_px_;
    SimSky sky_;
    Random random_;
    Random whims_; // of the link: how long it takes, whether a frame is a stale one
    std::vector<Spot> lastSpots_;
    std::shared_ptr<const Frame> last_; // sent, as were
    std::vector<Frame> lastWindows_;
    std::optional<ObservedFrame> frame_;
    std::optional<Vec3> watched_; // ICRS, for the truth
    Eigen::Vector2d trueShift_ = Eigen::Vector2d::Zero();
    struct HotPixel {
        int x, y;
        double e_s;
    };
    std::vector<HotPixel> hot_;
    struct PathPoint {
        Instant when;
        Mat3 attitude;
    };
    std::optional<std::vector<PathPoint>> path_; // of the open exposure
    // What a closed exposure on a moving mount went through.
    struct Trail {
        std::vector<PathPoint> path;
        std::vector<ObservedFrame> skies;
        std::vector<Eigen::Vector2d> air; // px
        double transparency = 1.0;
    };
    // A long exposure on a mount that is guided meanwhile: how every star is smeared, alike for all but for
    // what the field turned.
    struct Smear {
        Scene scene;                       // spots at their mean places
        std::vector<Eigen::Vector2d> path; // of the field, about its mean, px
        std::vector<Eigen::Vector2d> own;  // of each spot beyond that, from begin to end, px
        std::optional<Spot> comet;
        std::vector<Eigen::Vector2d> cometPath;    // as path, of a comet
        std::optional<std::array<double, 4>> line; // of a satellite: x, y, direction
    };
    Expected<Smear> smear(double exposure_s, const StopFlag& halt);
    Frame draw(const Smear& smear);
    Expected<std::shared_ptr<const Frame>> exposeShort(double exposure_s, const StopFlag& halt);
    Expected<std::shared_ptr<const Frame>> exposeLong(double exposure_s, const StopFlag& halt);
    Trail trailSeen(std::vector<PathPoint> path, const Scene& scene, double altitude_rad);
    std::vector<Spot> trailSpots(const Trail& trail);
};

} // namespace nordstjerna
