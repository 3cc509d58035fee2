#include "edge/devices/wire/wire_camera.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "edge/devices/wire/frame_part.h"
#include "edge/devices/wire/wire_names.h"
#include "edge/runner.h"
#include "edge/store/fits.h"

namespace nordstjerna {

namespace {
constexpr double readOut_s = 28.0;
constexpr int beyondSearch_px = 14;
} // namespace

Frame windowOf(const Frame& frame, const ExpectedStar& star) {
    const int half = static_cast<int>(std::ceil(star.search_px)) + beyondSearch_px;
    constexpr int least = 8;
    const auto from = [&](double at, int origin, int size) {
        return std::clamp(static_cast<int>(std::lround(at)) - half, origin,
                          origin + std::max(0, size - least));
    };
    const int x = from(star.x, frame.x0, frame.width), y = from(star.y, frame.y0, frame.height);
    return partOf(frame, x, y, std::min(2 * half + 1, frame.x0 + frame.width - x),
                  std::min(2 * half + 1, frame.y0 + frame.height - y));
}

WireCamera::WireCamera(WireLink& commands, const std::string& device, const Text& kind, Clock& clock,
                       Setup setup)
    : camera_(commands, device, kind), frames_(commands.server(), {device, wire::frame, {}}), clock_(clock),
      setup_(std::move(setup)) {}

void WireCamera::setSetup(const Setup& setup) {
    const std::scoped_lock guard(lock_);
    setup_ = setup;
}

WireCamera::Setup WireCamera::setup() const {
    const std::scoped_lock guard(lock_);
    return setup_;
}

Expected<void> WireCamera::prepare(const Setup& setup, const Part& part, const StopFlag& halt) {
    const std::string& device = camera_.device();
    const auto choose = [&](const char* vector, const char* element) -> Expected<void> {
        const auto told = camera_.link().told(device, vector);
        if (!told || !told->vector.find(element) || told->vector.on(element))
            return {};
        const auto set = camera_.carryOut({{wireSwitch(device, vector, element)},
                                           vector,
                                           [element](const WireVector& v) { return v.on(element); },
                                           8.0,
                                           Text::say("The %2 does not take %1.").arg(element)},
                                          halt);
        return set;
    };
    // Whole frames as FITS, sent here, of the light, not packed.
    for (const auto& [vector, element] :
         {std::pair("UPLOAD_MODE", "UPLOAD_CLIENT"), std::pair("CCD_TRANSFER_FORMAT", "FORMAT_FITS"),
          std::pair("CCD_FRAME_TYPE", "FRAME_LIGHT"), std::pair("CCD_COMPRESSION", "INDI_DISABLED"),
          std::pair("CCD_COMPRESSION", "CCD_RAW")})
        if (auto chosen = choose(vector, element); !chosen)
            return chosen;
    const auto numbers = [&](const char* vector, const std::vector<std::pair<std::string, double>>& wanted,
                             const Text& what) -> Expected<void> {
        const auto told = camera_.link().told(device, vector);
        const auto stands = [&wanted](const WireVector& v) {
            return std::all_of(wanted.begin(), wanted.end(), [&](const auto& w) {
                return !v.find(w.first) || std::abs(v.number(w.first) - w.second) < 0.5;
            });
        };
        if (!told || stands(told->vector))
            return {};
        if (!told->vector.writable)
            return problem(what.arg(camera_.kind()), Text::say("Its driver cannot set this."),
                           Text::say("Set the rig's figures to what the camera does."));
        const auto set =
            camera_.carryOut({{wireCommand(device, vector, wanted)}, vector, stands, 8.0, what}, halt);
        return set;
    };
    const double bin = setup.camera.bin;
    if (auto set = numbers(wire::binning, {{"HOR_BIN", bin}, {"VER_BIN", bin}},
                           Text::say("The %2 does not bin %1 × %1.").arg(setup.camera.bin));
        !set)
        return set;
    const auto info = camera_.link().told(device, wire::sensor);
    Part wanted = part;
    if (part == Part{} && info)
        wanted = {0, 0, static_cast<int>(info->vector.number("CCD_MAX_X")),
                  static_cast<int>(info->vector.number("CCD_MAX_Y"))};
    if (wanted.width <= 0 || wanted.height <= 0)
        return {};
    return numbers(wire::part,
                   {{"X", wanted.x}, {"Y", wanted.y}, {"WIDTH", wanted.width}, {"HEIGHT", wanted.height}},
                   Text::say("The %1 does not read out the part that was asked for."));
}

std::optional<std::pair<WireVector, const char*>> WireCamera::gainTold() const {
    for (const auto& [vector, element] :
         {std::pair(wire::gain, wire::gainValue), std::pair(wire::controls, wire::controlsGain)}) {
        const auto told = camera_.link().told(camera_.device(), vector);
        const WireElement* e = told && told->vector.writable ? told->vector.find(element) : nullptr;
        if (e && std::isfinite(e->number) && e->lowest < e->highest)
            return std::pair(told->vector, element);
    }
    return std::nullopt;
}

Expected<std::optional<GainState>> WireCamera::gain(const StopFlag&) {
    camera_.greet();
    if (auto there = camera_.need(wire::exposure); !there)
        return tl::unexpected(there.error());
    const auto told = gainTold();
    if (!told)
        return std::nullopt;
    const WireElement& e = *told->first.find(told->second);
    return GainState{e.number, e.lowest, e.highest};
}

Expected<void> WireCamera::setGain(double setting, const StopFlag& halt) {
    const auto told = gainTold();
    if (!told)
        return problem(Text::say("The gain of the %1 cannot be set.").arg(camera_.kind()),
                       Text::say("Its driver offers no gain."), Text::say("Set it by the driver."));
    const WireElement& e = *told->first.find(told->second);
    if (!(setting >= e.lowest && setting <= e.highest))
        return problem(Text::say("The %1 does not take that gain.").arg(camera_.kind()),
                       Text::say("It goes from %1 to %2.")
                           .arg(formatNumber(e.lowest, 0))
                           .arg(formatNumber(e.highest, 0)),
                       Text::say("Correct the gain setting at Rig."));
    const char* element = told->second;
    return camera_.carryOut(
        {{wireCommand(camera_.device(), told->first.name, {{element, setting}})},
         told->first.name,
         [element, setting](const WireVector& v) { return std::abs(v.number(element) - setting) < 0.5; },
         8.0,
         Text::say("The gain of the %1 could not be set.")},
        halt);
}

// What was being exposed when a link broke goes on at the camera: it would refuse the next one, and send its
// frame in the place of that.
void WireCamera::abandonFormer(const StopFlag& halt) {
    const auto told = camera_.link().told(camera_.device(), wire::exposure);
    if (!told || told->vector.state != WireState::busy)
        return;
    (void)camera_.link().send(wireSwitch(camera_.device(), wire::abortExposure, "ABORT"));
    constexpr double patience_s = 5.0; // the exposure itself tells what is wrong after that
    (void)camera_.link().await(
        [this](const WireLink::Known& known) {
            const auto* now = known.find(camera_.device(), wire::exposure);
            return now && now->vector.state != WireState::busy;
        },
        patience_s, halt);
}

// A frame that is ready before its own link stands would be sent to nobody.
bool WireCamera::awaitFrames(const StopFlag& halt) {
    if (!frames_.awaitConnected(halt))
        return false;
    std::uint64_t links = 0;
    frames_.look([&](const WireLink::Known& known) { links = known.links; });
    constexpr double frameLinkTells_s = 3.0; // once each connection: not every server tells of it
    if (framesSince_ != links) {
        (void)frames_.await(
            [this](const WireLink::Known& known) { return known.find(camera_.device(), wire::frame); },
            frameLinkTells_s, halt);
        if (!halt)
            framesSince_ = links;
    }
    return frames_.connected() && !halt;
}

Expected<WireCamera::Exposure> WireCamera::open(double exposure_s, const Part& part, const StopFlag& halt) {
    camera_.greet();
    if (auto there = camera_.need(wire::exposure); !there)
        return tl::unexpected(there.error());
    if (!awaitFrames(halt))
        return tl::unexpected(halt ? haltedProblem() : frames_.absent());
    if (auto prepared = prepare(setup(), part, halt); !prepared)
        return tl::unexpected(prepared.error());
    abandonFormer(halt);
    (void)frames_.takeBlob(); // what came unasked, or too late for whom it was
    Exposure exposure{exposure_s, part, clock_.now(), camera_.link().serial(), 0};
    frames_.look([&](const WireLink::Known& known) { exposure.links = known.links; });
    if (auto sent = camera_.link().send(
            wireCommand(camera_.device(), wire::exposure, {{wire::exposureValue, exposure_s}}));
        !sent)
        return tl::unexpected(sent.error());
    return exposure;
}

Expected<std::shared_ptr<const Frame>> WireCamera::close(const Exposure& exposure, const StopFlag& halt) {
    std::optional<WireLink::Told> blob;
    // First as long as the exposure takes by the night's clock, then as long as a person waits.
    const auto refused = [&] {
        const auto told = camera_.link().told(camera_.device(), wire::exposure);
        return told && told->alert > exposure.before;
    };
    const auto broken = [&](const Problem& p) -> Expected<std::shared_ptr<const Frame>> {
        (void)camera_.link().send(wireSwitch(camera_.device(), wire::abortExposure, "ABORT"));
        return tl::unexpected(p);
    };
    constexpr double frameGlance_s = 0.1;
    const Instant end = exposure.asked + exposure.exposure_s;
    std::optional<std::chrono::steady_clock::time_point> patience;
    for (;;) {
        if (blob = frames_.awaitBlob(frameGlance_s, halt); blob)
            break;
        if (halt)
            return broken(haltedProblem());
        if (refused())
            return tl::unexpected(camera_.refused(Text::say("The %1 did not expose."), true));
        if (!camera_.link().connected())
            return tl::unexpected(camera_.link().absent());
        std::uint64_t links = 0;
        frames_.look([&](const WireLink::Known& known) { links = known.connected ? known.links : 0; });
        if (links != exposure.links)
            return broken({Text::say("The frame was lost on its way."),
                           Text::say("The link to the device server broke during the exposure."),
                           Text::say("Nordstjerna tries again."), true});
        const auto now = std::chrono::steady_clock::now();
        if (!patience && clock_.now() >= end)
            patience = now + std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                                 std::chrono::duration<double>(readOut_s));
        if (patience && now > *patience)
            return broken(camera_.lied(Text::say("The %1 sent no frame."),
                                       Text::say("Its driver took the exposure, and nothing came.")));
    }
    auto frame = understood(*blob, exposure);
    if (!frame)
        return tl::unexpected(frame.error());
    return std::make_shared<const Frame>(std::move(*frame));
}

Expected<Frame> WireCamera::understood(const WireLink::Told& blob, const Exposure& exposure) {
    const auto element = std::find_if(blob.vector.elements.begin(), blob.vector.elements.end(),
                                      [](const WireElement& e) { return e.bytes && !e.bytes->empty(); });
    if (element->format != ".fits" && element->format != ".fits.fz")
        return tl::unexpected(
            camera_.lied(Text::say("The %1 sent what is no frame."),
                         Text::say("It came as \"%1\", not as FITS.").arg(element->format.substr(0, 20)),
                         Text::say("Set the driver to send FITS.")));
    auto frame = readFitsBytes(*element->bytes, "the frame of the " + camera_.kind().english());
    if (!frame) {
        Problem p = frame.error();
        p.transient = true;
        return tl::unexpected(p);
    }
    const Setup own = setup();
    FrameInfo& info = frame->info;
    const double told_s = info.exposure_s;
    if (told_s > 0.0 && std::abs(told_s - exposure.exposure_s) > 0.1 * exposure.exposure_s + 0.05)
        return tl::unexpected(camera_.lied(Text::say("The %1 exposed for another time."),
                                           Text::say("%1 s were asked for; its frame says %2 s.")
                                               .arg(formatNumber(exposure.exposure_s, 2))
                                               .arg(formatNumber(told_s, 2))));
    const double passed_s = clock_.now() - exposure.asked;
    if (passed_s < 0.8 * exposure.exposure_s - 0.2)
        return tl::unexpected(camera_.lied(Text::say("The %1 sent a frame of before."),
                                           Text::say("It came %1 s after an exposure of %2 s was begun.")
                                               .arg(formatNumber(passed_s, 1))
                                               .arg(formatNumber(exposure.exposure_s, 1))));
    if (info.start) {
        const std::string date = formatInstant(*info.start);
        if (date == lastDate_)
            return tl::unexpected(camera_.lied(Text::say("The %1 sent a frame of before."),
                                               Text::say("It carries the time of the frame before it.")));
        lastDate_ = date;
    }
    // The driver knows best when its shutter opened, unless its clock is another: then the frame has the
    // time at which it was asked for.
    constexpr double clocks_s = 2.0;
    if (!info.start || *info.start < exposure.asked + -clocks_s ||
        *info.start > exposure.asked + (passed_s - exposure.exposure_s + clocks_s))
        info.start = exposure.asked;
    info.exposure_s = exposure.exposure_s;
    info.bin = own.camera.bin;
    if (own.camera.pixel_um > 0.0)
        info.pixel_um = own.camera.pixel_um * own.camera.bin;
    info.focal_mm = own.focal_mm;
    info.gain_e_adu = own.camera.gain_e_adu;
    if (const auto told = gainTold())
        info.gainSetting = told->first.number(told->second);
    info.saturation_adu = own.camera.saturation_adu();
    info.camera = camera_.device();
    frame->x0 = exposure.part.x / own.camera.bin;
    frame->y0 = exposure.part.y / own.camera.bin;
    return std::move(*frame);
}

Expected<std::shared_ptr<const Frame>> WireCamera::expose(double exposure_s, const StopFlag& halt) {
    const auto exposure = open(exposure_s, {}, halt);
    if (!exposure)
        return tl::unexpected(exposure.error());
    return close(*exposure, halt);
}

Expected<void> WireCamera::begin(double exposure_s) {
    if (open_)
        return problem(Text::say("The camera is exposing already."), Text::say("Its shutter is open."),
                       Text::say("Wait for the frame."));
    auto exposure = open(exposure_s, {}, neverHalted);
    if (!exposure)
        return tl::unexpected(exposure.error());
    open_ = *exposure;
    return {};
}

Expected<std::shared_ptr<const Frame>> WireCamera::finish(const StopFlag& halt) {
    const auto exposure = std::exchange(open_, std::nullopt);
    if (!exposure)
        return problem(Text::say("The camera is not exposing."), Text::say("No exposure was begun."),
                       Text::say("Try again."));
    return close(*exposure, halt);
}

WireCamera::Part WireCamera::partFor(const std::vector<ExpectedStar>& stars) const {
    const CameraSpec own = setup().camera;
    const auto cut = camera_.link().told(camera_.device(), wire::part);
    const auto info = camera_.link().told(camera_.device(), wire::sensor);
    if (stars.empty() || !cut || !cut->vector.writable || !info)
        return {};
    const int width = static_cast<int>(info->vector.number("CCD_MAX_X")) / own.bin;
    const int height = static_cast<int>(info->vector.number("CCD_MAX_Y")) / own.bin;
    int left = width, right = 0, bottom = height, top = 0;
    for (const ExpectedStar& s : stars) {
        const int half = static_cast<int>(std::ceil(s.search_px)) + beyondSearch_px + 1;
        left = std::min(left, static_cast<int>(s.x) - half);
        right = std::max(right, static_cast<int>(s.x) + half);
        bottom = std::min(bottom, static_cast<int>(s.y) - half);
        top = std::max(top, static_cast<int>(s.y) + half);
    }
    // Sensors are read in steps; a part that moves with every frame would be told anew each time.
    constexpr int step = 32;
    const auto down = [](int v) { return std::max(0, v / step * step); };
    left = down(left);
    bottom = down(bottom);
    right = std::min(width, (right / step + 1) * step);
    top = std::min(height, (top / step + 1) * step);
    // What saves little is not worth the telling.
    constexpr double worth = 0.6;
    if (right <= left || top <= bottom ||
        double(right - left) * double(top - bottom) > worth * double(width) * double(height))
        return {};
    return {left * own.bin, bottom * own.bin, (right - left) * own.bin, (top - bottom) * own.bin};
}

Expected<Camera::Windows> WireCamera::exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                                    const StopFlag& halt) {
    const auto exposure = open(exposure_s, partFor(stars), halt);
    if (!exposure)
        return tl::unexpected(exposure.error());
    const auto frame = close(*exposure, halt);
    if (!frame)
        return tl::unexpected(frame.error());
    Windows windows;
    windows.middle = (*frame)->info.middle().value_or(clock_.now());
    for (const ExpectedStar& s : stars)
        windows.frames.push_back(windowOf(**frame, s));
    return windows;
}

} // namespace nordstjerna
