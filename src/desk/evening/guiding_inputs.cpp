#include "desk/evening/guiding_inputs.h"

namespace nordstjerna {

GuidingInputs guidingInputs(const RigBook& rigs, const GuideSettings& settings,
                            const CalibrationBook& calibration, const MountBook& mountBook,
                            const MountDesk& mount) {
    GuidingInputs in;
    in.rig = rigs.rig();
    in.rates = calibration.rates();
    in.ratesUnseen = !calibration.seen();
    in.ratesAgedBy = calibration.ratesAgedBy();
    in.decReverses = calibration.decReverses();
    in.mount = mount.state();
    in.settings = &settings.book();
    in.taught = mountBook.taught();
    in.wantedStars = settings.handStars();
    return in;
}

} // namespace nordstjerna
