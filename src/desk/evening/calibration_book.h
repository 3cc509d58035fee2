// Calibrations: of tonight, of earlier nights, until something about the rig changes.
#pragma once

#include "core/rates/calibration.h"
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

    const std::optional<Rates>& rates() const { return rates_; }
    // The same for the side of the pier where the mount hangs now: over there the picture stands on its head,
    // and which way Dec pulses work there must be seen once.
    std::optional<Rates> ratesHere() const;
    // Whether Dec pulses work the other way over there, once it was seen.
    std::optional<bool> decReverses() const;
    // It was seen: pulses work against what the carried rates say, or with them. Remembered for this rig.
    void setDecReverses(bool reverses);
    // In use from now on, and kept in the night log.
    void setRates(const Rates& rates);
    // In use again: measured before, so nothing is logged.
    void restoreRates(const Rates& rates);
    // Only kept in the night log: measured, but not to be used.
    void logRates(const Rates& rates);
    // Why the rates no longer describe the rig; empty when they do.
    const std::string& ratesAgedBy() const { return agedBy_; }
    bool ratesAged() const { return !agedBy_.empty(); }
    // The person says that the camera was turned or moved against the telescope.
    void ageRates(const std::string& reason);
    // The camera sits on a rotator that turned by this angle: the rates turn with it.
    void turnRates(double rotator_deg);
    // Of this rig from the night log, newest first.
    const std::vector<LoggedRates>& pastRates() const { return past_; }

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
    std::optional<Rates> rates_;
    std::string agedBy_;
    std::vector<LoggedRates> past_; // reading them fits each anew, so they are kept
};

} // namespace nordstjerna
