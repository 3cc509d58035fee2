#include "edge/devices/wire/served_camera.h"

#include <cmath>

#include "edge/devices/wire/frame_part.h"
#include "edge/devices/wire/wire_names.h"
#include "edge/store/fits.h"

namespace nordstjerna {

namespace {
constexpr double most_s = 3600.0;
constexpr double trail_s = 10.0; // so long exposures of a guide camera are
} // namespace

ServedCamera::ServedCamera(std::string name, Camera& camera, Clock& clock, const CameraSpec& spec,
                           bool trails, Cooler* cooler)
    : ServedDevice(std::move(name), wire::cameraBit), camera_(camera), cooler_(cooler), clock_(clock),
      spec_(spec), trails_(trails), part_{0, 0, spec.width, spec.height} {}

std::vector<WireVector> ServedCamera::vectors() {
    WireElement frame;
    frame.name = frame.label = wire::frame;
    std::vector<WireVector> all{
        vector(wire::exposure, WireKind::number, true,
               {numberElement(wire::exposureValue, 1.0, 0.01, most_s)}),
        switches(wire::abortExposure, {"ABORT"}, {}),
        vector(wire::sensor, WireKind::number, false,
               {numberElement("CCD_MAX_X", spec_.width), numberElement("CCD_MAX_Y", spec_.height),
                numberElement("CCD_PIXEL_SIZE", spec_.pixel_um), numberElement("CCD_BITSPERPIXEL", 16.0)}),
        vector(wire::part, WireKind::number, true,
               {numberElement("X", part_.x, 0.0, spec_.width), numberElement("Y", part_.y, 0.0, spec_.height),
                numberElement("WIDTH", part_.width, 1.0, spec_.width),
                numberElement("HEIGHT", part_.height, 1.0, spec_.height)}),
        vector(
            wire::binning, WireKind::number, false,
            {numberElement("HOR_BIN", spec_.bin, 1.0, 4.0), numberElement("VER_BIN", spec_.bin, 1.0, 4.0)}),
        vector(wire::frame, WireKind::blob, false, {frame})};
    if (const auto g = camera_.gain(neverHalted); g && *g)
        all.push_back(vector(wire::gain, WireKind::number, true,
                             {numberElement(wire::gainValue, (*g)->setting, (*g)->lowest, (*g)->highest)}));
    if (cooler_) {
        const CoolerState s = cooler_->state().value_or(CoolerState{});
        all.push_back(vector(wire::temperature, WireKind::number, true,
                             {numberElement(wire::temperatureValue, s.sensor_c, -60.0, 60.0)}));
        all.push_back(switches(wire::cooler, {wire::coolerOn, wire::coolerOff},
                               s.on ? wire::coolerOn : wire::coolerOff));
        all.push_back(
            vector(wire::coolerPower, WireKind::number, false,
                   {numberElement(wire::coolerPowerValue, 100.0 * s.power.value_or(0.0), 0.0, 100.0)}));
    }
    return all;
}

void ServedCamera::look() {
    if (!cooler_)
        return;
    const auto s = cooler_->state();
    if (!s)
        return server().update(name(), wire::temperature, WireState::alert, {}, s.error().why.english());
    constexpr double there_c = 0.5;
    const bool busy = s->on && s->target_c && std::abs(*s->target_c - s->sensor_c) > there_c;
    server().update(name(), wire::temperature, busy ? WireState::busy : WireState::ok,
                    {{wire::temperatureValue, s->sensor_c}});
    server().select(name(), wire::cooler, s->on ? wire::coolerOn : wire::coolerOff, WireState::ok);
    server().update(name(), wire::coolerPower, WireState::ok,
                    {{wire::coolerPowerValue, 100.0 * s->power.value_or(0.0)}});
}

void ServedCamera::setPart(const WireVector& c) {
    const double x = c.number("X"), y = c.number("Y"), width = c.number("WIDTH"), height = c.number("HEIGHT");
    const bool fits = x >= 0.0 && y >= 0.0 && width >= spec_.bin && height >= spec_.bin &&
                      x + width <= spec_.width && y + height <= spec_.height;
    if (!fits) {
        server().update(name(), wire::part, WireState::alert, {}, "The sensor has no such part.");
        return;
    }
    {
        const std::scoped_lock guard(lock_);
        part_ = {static_cast<int>(x), static_cast<int>(y), static_cast<int>(width), static_cast<int>(height)};
    }
    server().update(name(), wire::part, WireState::ok,
                    {{"X", x}, {"Y", y}, {"WIDTH", width}, {"HEIGHT", height}});
}

void ServedCamera::expose(double exposure_s) {
    if (!(exposure_s > 0.0 && exposure_s <= most_s) || exposing_.exchange(true)) {
        server().update(name(), wire::exposure, WireState::alert, {},
                        exposing_ ? "An exposure is under way." : "An exposure of that length is not taken.");
        return;
    }
    Part part;
    {
        const std::scoped_lock guard(lock_);
        part = part_;
    }
    server().update(name(), wire::exposure, WireState::busy, {{wire::exposureValue, exposure_s}});
    work([this, exposure_s, part](const StopFlag& stop) {
        Expected<std::shared_ptr<const Frame>> frame;
        if (trails_ && exposure_s >= trail_s) {
            if (const auto begun = camera_.begin(exposure_s); !begun) {
                frame = tl::unexpected(begun.error());
            } else {
                clock_.sleep(exposure_s, stop);
                frame = camera_.finish(stop); // also when broken off: it closes the shutter
            }
        } else {
            frame = camera_.expose(exposure_s, stop);
        }
        exposing_ = false;
        const auto failed = [this](const Problem& p) {
            server().update(name(), wire::exposure, p.userRequested ? WireState::idle : WireState::alert,
                            {{wire::exposureValue, 0.0}}, p.briefly().english());
        };
        if (stop)
            return server().update(name(), wire::exposure, WireState::idle, {{wire::exposureValue, 0.0}});
        if (!frame)
            return failed(frame.error());
        const int bin = spec_.bin;
        const bool whole = part.width == spec_.width && part.height == spec_.height;
        auto bytes =
            whole
                ? fitsBytes(**frame)
                : fitsBytes(partOf(**frame, part.x / bin, part.y / bin, part.width / bin, part.height / bin));
        if (!bytes)
            return failed(bytes.error());
        WireElement element;
        element.name = wire::frame;
        element.format = ".fits";
        element.bytes = std::make_shared<const std::string>(std::move(*bytes));
        WireVector blob = vector(wire::frame, WireKind::blob, false, {element});
        blob.state = WireState::ok;
        server().sendBlob(blob);
        server().update(name(), wire::exposure, WireState::ok, {{wire::exposureValue, 0.0}});
    });
}

Expected<void> ServedCamera::cool(const WireVector& c) {
    if (c.name == wire::cooler)
        return c.on(wire::coolerOff) ? cooler_->off() : Expected<void>(); // a target switches it on
    constexpr double most_c = 60.0;
    const double target_c = c.number(wire::temperatureValue);
    if (!(std::abs(target_c) <= most_c))
        return problem(Text::say("The sensor is not taken to that temperature."));
    return cooler_->hold(target_c);
}

void ServedCamera::take(const WireVector& c) {
    if (c.name == wire::exposure) {
        expose(c.number(wire::exposureValue));
    } else if (c.name == wire::abortExposure) {
        breakOff();
        server().select(name(), c.name, {}, WireState::ok);
    } else if (c.name == wire::part) {
        setPart(c);
    } else if (c.name == wire::gain) {
        const auto done = camera_.setGain(c.number(wire::gainValue), neverHalted);
        const auto stands = camera_.gain(neverHalted);
        const bool told = stands && stands->has_value();
        server().update(
            name(), c.name, done && told ? WireState::ok : WireState::alert,
            told ? std::vector<std::pair<std::string, double>>{{wire::gainValue, (*stands)->setting}}
                 : std::vector<std::pair<std::string, double>>{},
            done ? std::string() : done.error().briefly().english());
    } else if (cooler_ && (c.name == wire::temperature || c.name == wire::cooler)) {
        const auto done = cool(c);
        if (!done)
            return server().update(name(), c.name, WireState::alert, {}, done.error().briefly().english());
        lookNow();
    }
}

} // namespace nordstjerna
