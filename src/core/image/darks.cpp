#include "core/image/darks.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/image/sky_background.h"
#include "core/image/star_detect.h"
#include "core/image/star_measure.h"

namespace nordstjerna {

OrdinaryPixels ordinaryPixels(const std::vector<float>& values) {
    std::vector<double> sample;
    for (size_t i = 0; i < values.size(); i += 7)
        sample.push_back(values[i]);
    const double sigma = robustSigma(sample);
    return {median(std::move(sample)), std::max(sigma, 0.05)};
}

DarkKind DarkKind::of(const Frame& frame) {
    return {frame.info.exposure_s, frame.info.gain_e_adu,    frame.info.bin,        frame.width,
            frame.height,          frame.info.temperature_c, frame.info.gainSetting};
}

Text whyDarkDoesNotFit(const DarkKind& dark, const DarkKind& frame) {
    if (dark.width != frame.width || dark.height != frame.height || dark.bin != frame.bin)
        return Text::say("binning or read-out area");
    const bool told = dark.gainSetting && frame.gainSetting;
    if (told ? std::abs(*dark.gainSetting - *frame.gainSetting) > 0.5
             : std::abs(dark.gain_e_adu / frame.gain_e_adu - 1.0) > 0.01)
        return Text::say("gain");
    if (std::abs(dark.exposure_s - frame.exposure_s) > 0.05 * std::max(frame.exposure_s, 0.02))
        return Text::say("exposure (%1 s, not %2 s)")
            .arg(formatNumber(dark.exposure_s, 1))
            .arg(formatNumber(frame.exposure_s, 1));
    if (dark.temperature_c && frame.temperature_c &&
        std::abs(*dark.temperature_c - *frame.temperature_c) > 3.0)
        return Text::say("temperature (%1 °C, not %2 °C)")
            .arg(formatNumber(*dark.temperature_c, 0))
            .arg(formatNumber(*frame.temperature_c, 0));
    return {};
}

bool darkFits(const DarkKind& dark, const DarkKind& frame) {
    return whyDarkDoesNotFit(dark, frame).empty();
}

std::optional<double> darkScale(const DarkKind& dark, const DarkKind& frame) {
    constexpr double farthest = 4.0;
    DarkKind same = dark;
    same.exposure_s = frame.exposure_s;
    if (!(dark.exposure_s > 0.0) || !(frame.exposure_s > 0.0) || !darkFits(same, frame))
        return std::nullopt;
    const double scale = frame.exposure_s / dark.exposure_s;
    return scale <= farthest && scale >= 1.0 / farthest ? std::optional(scale) : std::nullopt;
}

Expected<void> checkDark(const Frame& frame) {
    const SkyBackground sky(frame);
    if (sky.level() > 0.5 * frame.info.saturation_adu)
        return problem(Text::say("This frame is not dark: its level is %1 of %2.")
                           .arg(formatNumber(sky.level(), 0))
                           .arg(formatNumber(frame.info.saturation_adu, 0)),
                       Text::say("Light reaches the sensor."),
                       Text::say("Cover the telescope well and take the darks again."));
    const auto field = detectStars(frame);
    if (field && field->stars.size() >= 4)
        return problem(Text::say("This frame is not dark: it shows %1.")
                           .arg(Text::say("%n star|%n stars", "", static_cast<int>(field->stars.size()))),
                       Text::say("The telescope is not covered."),
                       Text::say("Cover it and take the darks again."));
    // Darkness is even; a lamp through a gap is not. Amplifier glow stays in the corners.
    std::vector<double> levels;
    for (int j = 1; j <= 3; ++j)
        for (int i = 1; i <= 3; ++i)
            levels.push_back(sky.at(0.25 * i * frame.width, 0.25 * j * frame.height).level);
    const auto [low, high] = std::minmax_element(levels.begin(), levels.end());
    if (*high - *low > 6.0 * sky.noise())
        return problem(Text::say("This frame is not evenly dark: it differs by %1 counts across the middle.")
                           .arg(formatNumber(*high - *low, 0)),
                       Text::say("A lamp or the sky shines in past the cover."),
                       Text::say("Cover the telescope well and try again."));
    return {};
}

Expected<MasterDark> makeMasterDark(const std::vector<Frame>& frames) {
    if (frames.size() < 5)
        return problem(Text::say("Too few darks: %1.").arg(frames.size()),
                       Text::say("Five make a usable mean."), Text::say("Take at least five."));
    MasterDark master;
    master.kind = DarkKind::of(frames.front());
    master.frames = static_cast<int>(frames.size());
    for (const Frame& f : frames) {
        if (const auto other = whyDarkDoesNotFit(DarkKind::of(f), master.kind); !other.empty())
            return problem(Text::say("The darks are not of one kind."),
                           Text::say("They differ in %1.").arg(other),
                           Text::say("Take all of them with the same settings."));
        if (const auto dark = checkDark(f); !dark)
            return tl::unexpected(dark.error());
    }
    master.mean = Frame(master.kind.width, master.kind.height);
    master.mean.info = frames.front().info;
    std::vector<float> spread(master.mean.pixels.size());
    const auto n = static_cast<float>(frames.size() - 1);
    for (size_t i = 0; i < master.mean.pixels.size(); ++i) {
        float sum = 0.0F;
        float greatest = -1e30F;
        float least = 1e30F;
        for (const Frame& f : frames) {
            const float v = f.pixels[i];
            sum += v;
            greatest = std::max(greatest, v);
            least = std::min(least, v);
        }
        master.mean.pixels[i] = (sum - greatest) / n;
        spread[i] = greatest - least;
    }
    const OrdinaryPixels level = ordinaryPixels(master.mean.pixels);
    master.level = level.level;
    master.scatter = level.sigma;
    const OrdinaryPixels swing = ordinaryPixels(spread);
    master.badPixels.resize(master.mean.pixels.size());
    for (size_t i = 0; i < master.mean.pixels.size(); ++i) {
        const bool bad = std::abs(master.mean.pixels[i] - level.level) > 6.0 * level.sigma + 2.0 ||
                         spread[i] > swing.level + 8.0 * swing.sigma + 4.0;
        master.badPixels[i] = bad ? 1 : 0;
        master.badCount += bad;
    }
    return master;
}

void mendPixels(Frame& frame, const std::vector<std::uint8_t>& bad, int sensorWidth, int sensorHeight) {
    const auto isBad = [&](int x, int y) {
        return bad[static_cast<size_t>(y) * static_cast<size_t>(sensorWidth) + static_cast<size_t>(x)] != 0;
    };
    const auto inside = [&](int x, int y) { return x >= 0 && y >= 0 && x < sensorWidth && y < sensorHeight; };
    std::vector<double> around;
    for (int y = 0; y < frame.height; ++y)
        for (int x = 0; x < frame.width; ++x) {
            if (!inside(x + frame.x0, y + frame.y0) || !isBad(x + frame.x0, y + frame.y0))
                continue;
            around.clear();
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx) {
                    const int nx = x + dx;
                    const int ny = y + dy;
                    if ((!dx && !dy) || nx < 0 || ny < 0 || nx >= frame.width || ny >= frame.height ||
                        !inside(nx + frame.x0, ny + frame.y0) || isBad(nx + frame.x0, ny + frame.y0))
                        continue;
                    around.push_back(frame.at(nx, ny));
                }
            if (!around.empty())
                frame.at(x, y) = static_cast<float>(median(around));
        }
}

void applyDark(Frame& frame, const MasterDark& dark, double scale) {
    const auto level = static_cast<float>(dark.level);
    const auto share = static_cast<float>(scale);
    for (int y = 0; y < frame.height; ++y)
        for (int x = 0; x < frame.width; ++x) {
            const int ownX = x + frame.x0, ownY = y + frame.y0;
            if (ownX >= 0 && ownY >= 0 && ownX < dark.mean.width && ownY < dark.mean.height)
                frame.at(x, y) -= share * (dark.mean.at(ownX, ownY) - level);
        }
    mendPixels(frame, dark.badPixels, dark.mean.width, dark.mean.height);
}

namespace {

// Evening out would turn a lone hot pixel into something like a star, so it is mended first: it stands far
// above its own colour while its neighbours of the other colours do not.
void mendLonePixels(Frame& frame) {
    std::vector<float> colour[4];
    for (int y = 0; y < frame.height; y += 1)
        for (int x = (y / 2) % 3; x < frame.width; x += 3)
            colour[2 * (y % 2) + x % 2].push_back(frame.at(x, y));
    OrdinaryPixels level[4];
    for (int i = 0; i < 4; ++i)
        level[i] = ordinaryPixels(colour[i]);
    const auto excess = [&](int x, int y) { return frame.at(x, y) - level[2 * (y % 2) + x % 2].level; };
    for (int y = 2; y < frame.height - 2; ++y)
        for (int x = 2; x < frame.width - 2; ++x) {
            const OrdinaryPixels& own = level[2 * (y % 2) + x % 2];
            const double e = excess(x, y);
            if (e < 8.0 * own.sigma)
                continue;
            const double around =
                0.25 * (excess(x - 1, y) + excess(x + 1, y) + excess(x, y - 1) + excess(x, y + 1));
            if (looksLikeHotPixel(e, around))
                frame.at(x, y) = static_cast<float>(own.level + std::max(0.0, around));
        }
}

} // namespace

void evenOutColour(Frame& frame) {
    mendLonePixels(frame);
    const Frame raw = frame;
    const auto held = [](int v, int n) {
        return v < 0 ? -v : v >= n ? 2 * n - 2 - v : v;
    }; // keeps the colour
    for (int y = 0; y < frame.height; ++y)
        for (int x = 0; x < frame.width; ++x) {
            float sum = 0.0F;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx)
                    sum += static_cast<float>((2 - dx * dx) * (2 - dy * dy)) *
                           raw.at(held(x + dx, frame.width), held(y + dy, frame.height));
            frame.at(x, y) = sum / 16.0F;
        }
    frame.info.bayer = false;
    frame.info.hiddenNoise /= 0.375; // of the binomial kernel: √(6·6)/16
}

} // namespace nordstjerna
