// Calibrations: of tonight, of earlier nights, until something about the rig changes.
#pragma once

#include "core/rates/rates_look.h"
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
    // It was seen: pulses work against what the carried rates say, or with them. Remembered for this mount.
    void setDecReverses(bool reverses);
    // In use from now on, and kept in the night log.
    void setRates(const Rates& rates);
    // In use again: measured before, so nothing is logged.
    void restoreRates(const Rates& rates);
    // Only kept in the night log: measured, but not to be used.
    void logRates(const Rates& rates);
    // Why the rates no longer describe the rig; empty when they do.
    const Text& ratesAgedBy() const { return agedBy_; }
    bool ratesAged() const { return !agedBy_.empty(); }
    // The person says that the camera was turned or moved against the telescope.
    void ageRates(const std::string& reason);
    // The camera sits on a rotator that turned by this angle: the rates turn with it.
    void turnRates(double rotator_deg);
    // Measured, or held against a frame of the sky, since the program began.
    bool seen() const { return seen_; }
    // What a frame of the sky told of rates that were not seen yet: they turn with the camera, or are out of
    // date. Told again, it changes nothing.
    void heed(const std::optional<RatesLook>& look);
    // The last one of these rates.
    const std::optional<RatesLook>& look() const { return look_; }
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
    Text agedBy_;
    bool seen_ = false;
    std::optional<RatesLook> look_;
    void take(const std::optional<Rates>& rates, bool seen);
    std::vector<LoggedRates> past_; // reading them fits each anew, so they are kept
};

} // namespace nordstjerna
