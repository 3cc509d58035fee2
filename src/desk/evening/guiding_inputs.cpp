#include "desk/evening/guiding_inputs.h"

namespace nordstjerna {

GuidingInputs guidingInputs(const RigBook& rigs, const GuideSettings& settings,
                            const CalibrationBook& calibrationBook, const MountBook& mountBook,
                            const MountDesk& mount) {
    GuidingInputs in;
    in.rig = rigs.rig();
    in.calibration = calibrationBook.calibration();
    in.calibrationUnseen = !calibrationBook.seen();
    in.calibrationAgedBy = calibrationBook.calibrationAgedBy();
    in.decReverses = calibrationBook.decReverses();
    in.mount = mount.state();
    in.settings = &settings.book();
    in.taught = mountBook.taught();
    in.wantedStars = settings.handStars();
    return in;
}

} // namespace nordstjerna
