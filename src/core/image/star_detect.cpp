#include "core/image/star_detect.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numeric>

#include "core/base/ellipse.h"
#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/image/sky_background.h"
#include "core/image/star_measure.h"

namespace nordstjerna {

namespace {

// Room for the values of a frame, kept by each thread from one frame to the next: asking the system for fresh
// memory costs as much as the search itself.
struct Plane {
    std::unique_ptr<float[]> values;
    size_t size = 0;
    void hold(size_t n) {
        if (n > size) {
            values.reset(new float[n]);
            size = n;
        }
    }
    float& operator[](size_t i) { return values[i]; }
    float operator[](size_t i) const { return values[i]; }
};
struct Planes {
    Plane flat, smooth;
};

// Background taken off, and that lightly smoothed by 3 × 3 (1 2 1, 2 4 2, 1 2 1).
void flattenAndSmooth(const Frame& frame, const SkyBackground& sky, Plane& flat, Plane& smooth) {
    const auto w = static_cast<size_t>(frame.width);
    const auto h = static_cast<size_t>(frame.height);
    shareOut(h / 64, [&](size_t part, size_t parts) {
        const size_t from = part * h / parts;
        const size_t to = (part + 1) * h / parts;
        std::vector<float> base;
        for (size_t y = from; y < to; ++y) {
            sky.row(static_cast<int>(y), base);
            const float* in = &frame.pixels[y * w];
            float* f = &flat[y * w];
            for (size_t x = 0; x < w; ++x)
                f[x] = in[x] - base[x];
        }
    });
    shareOut(h / 64, [&](size_t part, size_t parts) {
        std::vector<float> down(w, 0.0F);
        for (size_t y = part * h / parts; y < (part + 1) * h / parts; ++y) {
            float* out = &smooth[y * w];
            if (y == 0 || y + 1 == h) {
                std::fill(out, out + w, 0.0F);
                continue;
            }
            const float* a = &flat[(y - 1) * w];
            const float* b = &flat[y * w];
            const float* c = &flat[(y + 1) * w];
            for (size_t x = 0; x < w; ++x)
                down[x] = 0.0625F * (a[x] + 2.0F * b[x] + c[x]);
            out[0] = out[w - 1] = 0.0F;
            for (size_t x = 1; x + 1 < w; ++x)
                out[x] = down[x - 1] + 2.0F * down[x] + down[x + 1];
        }
    });
}

struct Span {
    int y, x0, x1; // inclusive
    int group;
};

int rootOf(std::vector<int>& parent, int i) {
    while (parent[static_cast<size_t>(i)] != i) {
        parent[static_cast<size_t>(i)] = parent[static_cast<size_t>(parent[static_cast<size_t>(i)])];
        i = parent[static_cast<size_t>(i)];
    }
    return i;
}

// Most of a frame is sky: passed by many pixels at once.
bool noneAbove(const float* values, float threshold) {
    int above = 0;
    for (int i = 0; i < 16; ++i)
        above |= values[i] > threshold;
    return above == 0;
}

// Connected regions above the threshold, as runs that name their region.
std::vector<std::vector<Span>> regionsAbove(const Plane& smooth, int width, int height, float threshold) {
    std::vector<Span> runs;
    std::vector<int> parent;
    size_t lastFrom = 0;
    size_t lastTo = 0;
    for (int y = 1; y < height - 1; ++y) {
        const size_t from = runs.size();
        const float* row = smooth.values.get() + static_cast<size_t>(y) * static_cast<size_t>(width);
        size_t above = lastFrom;
        for (int x = 1; x < width - 1; ++x) {
            while (x + 16 <= width && noneAbove(row + x, threshold))
                x += 16;
            if (x >= width - 1)
                break;
            if (row[x] <= threshold)
                continue;
            Span r{y, x, x, 0};
            while (x + 1 < width - 1 && row[x + 1] > threshold)
                ++x;
            r.x1 = x;
            r.group = static_cast<int>(parent.size());
            parent.push_back(r.group);
            while (above < lastTo && runs[above].x1 < r.x0 - 1)
                ++above;
            for (size_t k = above; k < lastTo && runs[k].x0 <= r.x1 + 1; ++k) {
                const int a = rootOf(parent, runs[k].group);
                const int b = rootOf(parent, r.group);
                parent[static_cast<size_t>(std::max(a, b))] = std::min(a, b);
            }
            runs.push_back(r);
        }
        lastFrom = from;
        lastTo = runs.size();
    }
    std::vector<int> index(parent.size(), -1);
    std::vector<std::vector<Span>> regions;
    for (const Span& r : runs) {
        const int root = rootOf(parent, r.group);
        int& i = index[static_cast<size_t>(root)];
        if (i < 0) {
            i = static_cast<int>(regions.size());
            regions.emplace_back();
        }
        regions[static_cast<size_t>(i)].push_back(r);
    }
    return regions;
}

struct Candidate {
    double x, y; // window pixels
    double flux;
    double major; // standard deviation along the longer axis, px
};

class CandidateFinder {
public:
    CandidateFinder(const Frame& frame, double noise, const DetectOptions& options)
        : frame_(frame), noise_(noise), options_(options), flat_(planes().flat), smooth_(planes().smooth) {
        flat_.hold(frame.pixels.size());
        smooth_.hold(frame.pixels.size());
    }

    void look(const SkyBackground& sky, StarField& field) {
        flattenAndSmooth(frame_, sky, flat_, smooth_);
        // A frame that was smoothed before is smoothed less by smoothing it again.
        const double again = frame_.info.hiddenNoise > 1.0 ? 0.73 : 1.0;
        const auto threshold = static_cast<float>(options_.threshold_sigma * again * noise_);
        for (const auto& region : regionsAbove(smooth_, frame_.width, frame_.height, threshold))
            judge(region, field);
        std::sort(found_.begin(), found_.end(),
                  [](const Candidate& a, const Candidate& b) { return a.flux > b.flux; });
    }
    const std::vector<Candidate>& found() const { return found_; }

private:
    struct Peak {
        int x, y;
        float value;
    };

    float smoothAt(int x, int y) const { return smooth_[frame_.index(x, y)]; }

    // Greatest in its 5 × 5 surroundings.
    std::vector<Peak> peaksOf(const std::vector<Span>& region) const {
        std::vector<Peak> peaks;
        for (const Span& r : region)
            for (int x = r.x0; x <= r.x1; ++x) {
                if (x < 2 || r.y < 2 || x >= frame_.width - 2 || r.y >= frame_.height - 2)
                    continue;
                const float v = smoothAt(x, r.y);
                bool greatest = true;
                for (int dy = -2; dy <= 2 && greatest; ++dy)
                    for (int dx = -2; dx <= 2; ++dx) {
                        const float o = smoothAt(x + dx, r.y + dy);
                        // Of equals the first one counts.
                        if (o > v || (o == v && (dy < 0 || (dy == 0 && dx < 0)))) {
                            greatest = false;
                            break;
                        }
                    }
                if (greatest)
                    peaks.push_back({x, r.y, v});
            }
        std::sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.value > b.value; });
        return peaks;
    }

    // Deep enough a saddle on the straight way between two peaks.
    bool apart(const Peak& bright, const Peak& faint) const {
        const int steps = std::max(std::abs(bright.x - faint.x), std::abs(bright.y - faint.y));
        float lowest = faint.value;
        for (int i = 1; i < steps; ++i) {
            const int x = bright.x + (faint.x - bright.x) * i / steps;
            const int y = bright.y + (faint.y - bright.y) * i / steps;
            lowest = std::min(lowest, smoothAt(x, y));
        }
        // The smoothed noise is three eighths of the plain one; the wings of a bright star are rough by more.
        const double rough =
            0.375 *
            std::hypot(noise_, std::sqrt(std::max(0.0F, lowest) / std::max(frame_.info.gain_e_adu, 1e-6)));
        return faint.value - lowest > 4.0 * rough && lowest < 0.85F * faint.value;
    }

    // The four neighbours tell whether optics made a peak.
    bool hotAt(int x, int y) const {
        const auto v = [&](int dx, int dy) { return double(flat_[frame_.index(x + dx, y + dy)]); };
        return looksLikeHotPixel(v(0, 0), 0.25 * (v(-1, 0) + v(1, 0) + v(0, -1) + v(0, 1)));
    }

    // The smoothed peak may lie a pixel beside the greatest one.
    bool hotNear(const Peak& p) const {
        int bx = p.x;
        int by = p.y;
        for (int dy = -1; dy <= 1; ++dy)
            for (int dx = -1; dx <= 1; ++dx)
                if (flat_[frame_.index(p.x + dx, p.y + dy)] > flat_[frame_.index(bx, by)])
                    bx = p.x + dx, by = p.y + dy;
        return hotAt(bx, by);
    }

    void judge(const std::vector<Span>& region, StarField& field) {
        int pixels = 0;
        double sum = 0.0;
        double sx = 0.0;
        double sy = 0.0;
        double sxx = 0.0;
        double syy = 0.0;
        double sxy = 0.0;
        const Span& origin = region.front();
        for (const Span& r : region) {
            pixels += r.x1 - r.x0 + 1;
            for (int x = r.x0; x <= r.x1; ++x) {
                const double v = smoothAt(x, r.y);
                const double dx = x - origin.x0;
                const double dy = r.y - origin.y;
                sum += v;
                sx += v * dx;
                sy += v * dy;
                sxx += v * dx * dx;
                syy += v * dy * dy;
                sxy += v * dx * dy;
            }
        }
        if (pixels < options_.minPixels)
            return;
        const double mx = sx / sum;
        const double my = sy / sum;
        const double vxx = std::max(sxx / sum - mx * mx, 0.0);
        const double vyy = std::max(syy / sum - my * my, 0.0);
        const double vxy = sxy / sum - mx * my;
        Eigen::Matrix2d spread;
        spread << vxx, vxy, vxy, vyy;
        const auto [major, minor, angle] = errorEllipse(spread);
        const std::vector<Peak> peaks = peaksOf(region);
        if (peaks.empty())
            return;
        std::vector<Peak> own;
        for (const Peak& p : peaks) {
            if (own.size() > 40)
                break;
            if (std::all_of(own.begin(), own.end(), [&](const Peak& o) { return apart(o, p); }))
                own.push_back(p);
        }
        // A track is long, thin, and without one dominating knot.
        if (major > 3.5 && major > 2.8 * minor && own.size() != 2) {
            ++field.tracks;
            return;
        }
        for (const Peak& p : own) {
            if (hotNear(p)) {
                ++field.hotPixels;
                continue;
            }
            const bool alone = own.size() == 1;
            const double share =
                p.value / std::accumulate(own.begin(), own.end(), 0.0,
                                          [](double s, const Peak& o) { return s + o.value; });
            found_.push_back({alone ? origin.x0 + mx : p.x, alone ? origin.y + my : p.y, sum * share,
                              alone ? major : std::min(major, 2.5)});
        }
    }

    const Frame& frame_;
    double noise_;
    DetectOptions options_;
    static Planes& planes() {
        static thread_local Planes own;
        return own;
    }
    Plane& flat_;
    Plane& smooth_;
    std::vector<Candidate> found_;
};

} // namespace

Expected<StarField> detectStars(const Frame& frame, const DetectOptions& options) {
    if (frame.width < 32 || frame.height < 32)
        return problem(Text::say("The frame is too small."),
                       Text::say("At least 32 × 32 pixels are needed to find stars."),
                       Text::say("Read out a larger area."));
    const SkyBackground sky(frame);
    StarField field;
    field.background = sky.level();
    field.noise = sky.noise();
    // A flat, fully saturated or empty frame has no noise and no stars.
    if (!(field.noise > 1e-5) || !std::isfinite(field.noise))
        return field;
    CandidateFinder finder(frame, field.noise * frame.info.hiddenNoise, options);
    finder.look(sky, field);
    const std::vector<Candidate>& found = finder.found();
    const size_t count = std::min(found.size(), static_cast<size_t>(2 * options.most));

    // Each candidate is measured on its own, so the work is shared out.
    std::vector<std::optional<Star>> measured(count);
    shareOut(count / 16, [&](size_t first, size_t step) {
        for (size_t i = first; i < count; i += step) {
            const Candidate& c = found[i];
            MeasureOptions measure;
            measure.radius_px = std::clamp(static_cast<int>(std::lround(6.0 * c.major)), 9, 30);
            if (auto star = measureStar(frame, c.x + frame.x0, c.y + frame.y0, measure))
                measured[i] = *star;
        }
    });
    for (const auto& star : measured) {
        if (static_cast<int>(field.stars.size()) >= options.most)
            break;
        if (!star || star->snr < options.minSnr)
            continue;
        const bool twice = std::any_of(field.stars.begin(), field.stars.end(), [&](const Star& s) {
            return (s.x - star->x) * (s.x - star->x) + (s.y - star->y) * (s.y - star->y) < 1.5 * 1.5;
        });
        if (!twice)
            field.stars.push_back(*star);
    }
    std::stable_sort(field.stars.begin(), field.stars.end(),
                     [](const Star& a, const Star& b) { return a.flux > b.flux; });
    return field;
}

double typicalHfd(const StarField& field) {
    std::vector<double> values;
    for (const Star& s : field.stars)
        if (!s.saturated && s.snr > 10.0)
            values.push_back(s.hfd);
    return median(std::move(values));
}

} // namespace nordstjerna
