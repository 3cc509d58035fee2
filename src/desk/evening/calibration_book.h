// Calibrations: of tonight, of earlier nights, until something about the rig changes.
#pragma once

#include "core/calibration/calibration_look.h"
#include "desk/evening/guide_settings.h"
#include "desk/evening/mount_desk.h"
#include "desk/logbook.h"

namespace nordstjerna {

class CalibrationBook : public QObject {
    Q_OBJECT
public:
    // The last good one of the rig is in use at once: yesterday's still holds if nothing was changed.
    CalibrationBook(EveningStore& evening, const RigBook& rigs, const GuideSettings& settings,
                    const ThisNight& night, const MountDesk& mount, Logbook& logbook);

    const std::optional<Calibration>& calibration() const { return calibration_; }
    // The same for the side of the pier where the mount hangs now: over there the picture stands on its head,
    // and which way Dec pulses work there must be seen once.
    std::optional<Calibration> calibrationHere() const;
    // Whether Dec pulses work the other way over there, once it was seen.
    std::optional<bool> decReverses() const;
    // It was seen: pulses work against what the carried rates say, or with them. Remembered for this mount.
    void setDecReverses(bool reverses);
    // In use from now on, and kept in the night log.
    void setCalibration(const Calibration& calibration);
    // In use again: measured before, so nothing is logged.
    void restoreCalibration(const Calibration& calibration);
    // Only kept in the night log: measured, but not to be used.
    void logCalibration(const Calibration& calibration);
    // Why the rates no longer describe the rig; empty when they do.
    const Text& calibrationAgedBy() const { return agedBy_; }
    bool calibrationAged() const { return !agedBy_.empty(); }
    // The person says that the camera was turned or moved against the telescope.
    void ageCalibration(const std::string& reason);
    // The camera sits on a rotator that turned by this angle: the rates turn with it.
    void turnCalibration(double rotator_deg);
    // Measured, or held against a frame of the sky, since the program began.
    bool seen() const { return seen_; }
    // What a frame of the sky told of rates that were not seen yet: they turn with the camera, or are out of
    // date. Told again, it changes nothing.
    void heed(const std::optional<CalibrationLook>& look);
    // The last one of these rates.
    const std::optional<CalibrationLook>& look() const { return look_; }
    // Of this rig from the night log, newest first.
    const std::vector<LoggedCalibration>& pastCalibration() const { return past_; }

Q_SIGNALS:
    void changed();

private:
    void check(); // against the rig
    void readPast();
    void takeLatest();
    EveningStore& evening_;
    const RigBook& rigs_;
    const GuideSettings& settings_;
    const ThisNight& night_;
    const MountDesk& mount_;
    Logbook& logbook_;
    std::optional<Calibration> calibration_;
    Text agedBy_;
    bool seen_ = false;
    std::optional<CalibrationLook> look_;
    void take(const std::optional<Calibration>& calibration, bool seen);
    std::vector<LoggedCalibration> past_; // reading them fits each anew, so they are kept
};

} // namespace nordstjerna
