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
                           bool trails)
    : ServedDevice(std::move(name), wire::cameraBit), camera_(camera), clock_(clock), spec_(spec),
      trails_(trails), part_{0, 0, spec.width, spec.height} {}

std::vector<WireVector> ServedCamera::vectors() {
    WireElement frame;
    frame.name = frame.label = wire::frame;
    return {
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
            server().update(name(), wire::exposure, p.asked ? WireState::idle : WireState::alert,
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

void ServedCamera::take(const WireVector& c) {
    if (c.name == wire::exposure) {
        expose(c.number(wire::exposureValue));
    } else if (c.name == wire::abortExposure) {
        breakOff();
        server().select(name(), c.name, {}, WireState::ok);
    } else if (c.name == wire::part) {
        setPart(c);
    }
}

} // namespace nordstjerna
