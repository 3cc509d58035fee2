// A controller that the program does not have: it corrects a share of the sum of all errors. Shows what a
// further controller takes: this file, and one line that puts it into the table.
#pragma once

#include "core/guide/controllers.h"

namespace nordstjerna {

class IntegralController : public Controller {
public:
    static constexpr ControllerKind kind{3};

    explicit IntegralController(const AxisSettings& settings) : settings_(settings) {}
    double correction(const AxisInput& in, bool inCharge) override {
        if (!inCharge || !in.place_arcsec)
            return 0.0;
        const double error = in.error_arcsec();
        sum_ += error;
        return settings_.loopGain * error + 0.02 * sum_;
    }
    void setSettings(const AxisSettings& settings) override { settings_ = settings; }

    static ControllerDescriptor descriptor() {
        return {
            .kind = kind,
            .id = "integral",
            .help = "Integral corrects the sum of the errors, too.",
            .hasGain = true,
            .reasonRa = "The sum of the errors says more than each of them.",
            .reasonDec = "The sum of the errors says more than each of them.",
            .make = [](const AxisSettings& settings, const ModelController&) -> std::unique_ptr<Controller> {
                return std::make_unique<IntegralController>(settings);
            }};
    }

private:
    AxisSettings settings_;
    double sum_ = 0.0;
};

} // namespace nordstjerna
