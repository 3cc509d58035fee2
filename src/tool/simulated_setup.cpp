#include "tool/simulated_setup.h"

#include "edge/runner.h"
#include "edge/store/file_problems.h"

namespace nordstjerna {

Expected<SimulatedSetup> openSimulated(const SimulateRequest& request) {
    if (std::filesystem::exists(request.out))
        return existsAlready(request.out);
    auto scenario = readScenario(request.scenario);
    if (!scenario)
        return tl::unexpected(scenario.error());
    scenario->speed = 0.0;
    if (request.seed)
        scenario->seed = *request.seed;
    auto index = StarIndex::loadDefault();
    if (!index)
        return tl::unexpected(index.error());
    if (const auto sky = SimulatedNight::skyIsThere(*scenario, **index); !sky)
        return tl::unexpected(sky.error());
    SimulatedSetup s;
    s.night = std::make_unique<SimulatedNight>(std::move(*scenario), *index);
    s.devices = s.night->devices();
    if (!request.rendered)
        s.devices.track = s.night->trackDirectly();
    s.book.setFromRig(s.rig().guiding.exposure_s, s.rig().guiding.pulseLimit_ms);
    for (const auto& [key, value] : request.wishes.values)
        s.book.change(key, value, "yours", "", s.night->clock().now());
    return s;
}

Expected<GuidingSetup> guidingSetup(const SimulatedSetup& setUp, const Calibration& calibration,
                                    bool corrections) {
    const auto mount = setUp.devices.mount->state();
    if (!mount)
        return tl::unexpected(mount.error());
    GuidingInputs in;
    in.rig = setUp.rig();
    in.calibration = calibration;
    in.mount = *mount;
    in.settings = &setUp.book;
    in.corrections = corrections;
    return prepareGuiding(in);
}

Expected<Calibration> calibrate(Devices& devices, CalibrationRun& measurement) {
    RunnerControl control;
    const auto done = runProcedure(measurement, devices, control);
    if (!done)
        return tl::unexpected(done.error());
    return *measurement.result();
}

} // namespace nordstjerna
