// A camera behind a device server.
#pragma once

#include "core/rig/rig.h"
#include "edge/devices/camera.h"
#include "edge/devices/cooler.h"
#include "edge/devices/wire/served_device.h"

namespace nordstjerna {

class ServedCamera final : public ServedDevice {
public:
    // trails: long exposures record what the mount does meanwhile.
    ServedCamera(std::string name, Camera& camera, Clock& clock, const CameraSpec& spec, bool trails,
                 Cooler* cooler = nullptr);

protected:
    std::vector<WireVector> vectors() override;
    void take(const WireVector& command) override;
    void look() override;

private:
    struct Part {
        int x = 0, y = 0, width = 0, height = 0; // unbinned pixels
    };
    void expose(double exposure_s);
    void setPart(const WireVector& command);
    Expected<void> cool(const WireVector& command);
    Camera& camera_;
    Cooler* cooler_; // absent: none
    Clock& clock_;
    CameraSpec spec_;
    bool trails_;
    std::mutex lock_;
    Part part_;
    std::atomic<bool> exposing_{false};
};

} // namespace nordstjerna
