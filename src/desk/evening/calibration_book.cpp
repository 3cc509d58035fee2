#include "desk/evening/calibration_book.h"

#include <algorithm>

#include "core/calibration/reuse.h"
#include "core/findings/rates_findings.h"
#include "core/procedure/prepare_guiding.h"
#include "core/review/entry_figures.h"
#include "core/rig/scales.h"
#include "edge/store/calibration_json.h"
#include "edge/store/json_reader.h"

namespace nordstjerna {

namespace {
CalibrationSetup setupOf(const Rig& rig) {
    CalibrationSetup s;
    s.scale_arcsec_px = scalesOf(rig).guide_arcsec_px;
    s.guideRateRa = rig.mount.guideRateRa;
    s.guideRateDec = rig.mount.guideRateDec;
    s.bin = rig.guideCamera.bin;
    s.decMotor = rig.mount.decMotor;
    return s;
}
} // namespace

CalibrationBook::CalibrationBook(EveningStore& evening, const RigBook& rigs, const GuideSettings& settings,
                                 const ThisNight& night, const MountDesk& mount, Logbook& logbook)
    : evening_(evening), rigs_(rigs), settings_(settings), night_(night), mount_(mount), logbook_(logbook) {
    readPast();
    takeLatest();
    connect(&rigs, &RigBook::replaced, this, [this] {
        readPast();
        takeLatest();
    });
    connect(&rigs, &RigBook::changed, this, [this] {
        check();
        Q_EMIT changed();
    });
    const auto again = [this] {
        readPast();
        Q_EMIT changed();
    };
    connect(&logbook, &Logbook::rebuilt, this, again);
    connect(&logbook, &Logbook::calibrationAdded, this, again);
}

void CalibrationBook::check() {
    if (!calibration_)
        return;
    const CalibrationSetup now = setupOf(rigs_.rig());
    if (calibration_->setup.bin != now.bin)
        calibration_ = calibrationAtBinning(*calibration_, now.bin);
    agedBy_ = whyCalibrationAged(calibration_->setup, now);
}

void CalibrationBook::readPast() {
    past_ = logbook_.calibrationOf(rigs_.rig().id);
}

void CalibrationBook::take(const std::optional<Calibration>& calibration, bool seen) {
    calibration_ = calibration;
    agedBy_ = {};
    seen_ = seen;
    look_.reset();
    check();
}

void CalibrationBook::takeLatest() {
    const auto good = std::find_if(past_.begin(), past_.end(), [](const LoggedCalibration& past) {
        return past.calibration.verdict != CalibrationVerdict::bad;
    });
    take(good == past_.end() ? std::nullopt : std::optional(good->calibration), false);
}

void CalibrationBook::heed(const std::optional<CalibrationLook>& look) {
    if (!look || !calibration_ || seen_ || (look_ && look_->hold == look->hold))
        return;
    if (look->hold == CalibrationHold::turned)
        calibration_ = calibrationTurned(*calibration_, look->turn_deg.value);
    if (look->hold == CalibrationHold::notAny)
        agedBy_ = look->why;
    seen_ = look->hold != CalibrationHold::unknown;
    look_ = look;
    Q_EMIT changed();
}

void CalibrationBook::ageCalibration(const std::string& reason) {
    if (calibration_)
        agedBy_ = reason;
    Q_EMIT changed();
}

void CalibrationBook::turnCalibration(double rotator_deg) {
    if (calibration_)
        calibration_ = calibrationTurned(*calibration_, rotator_deg);
    Q_EMIT changed();
}

std::optional<bool> CalibrationBook::decReverses() const {
    const auto& seen = evening_.evening().decReverses;
    const auto known = seen.find(rigs_.rig().mount.id);
    return known != seen.end() ? std::optional<bool>(known->second) : std::nullopt;
}

std::optional<Calibration> CalibrationBook::calibrationHere() const {
    return calibrationOnSide(calibration_, mount_.state().side, decReverses());
}

void CalibrationBook::setDecReverses(bool reverses) {
    evening_.edit([&](Evening& e) { e.decReverses[rigs_.rig().mount.id] = reverses; });
    Q_EMIT changed();
}

void CalibrationBook::restoreCalibration(const Calibration& calibration) {
    take(calibration, true);
    Q_EMIT changed();
}

void CalibrationBook::setCalibration(const Calibration& calibration) {
    take(calibration, true);
    logCalibration(calibration);
    Q_EMIT changed();
}

void CalibrationBook::logCalibration(const Calibration& calibration) {
    LogEntry entry = night_.newEntry(EntryKind::rates);
    entry.target.clear();
    entry.how = Text::say("measured: %1").arg(Text::say(verdictName(calibration.verdict))).english();
    entry.figures = figuresOfCalibration(calibration);
    entry.findings = calibrationFindings(calibration, correctionReach(settings_.book()));
    entry.detail = jsonText(calibrationToJson(calibration));
    logbook_.add(std::move(entry));
    logbook_.addCalibration(night_.now(), rigs_.rig(), calibration);
}

} // namespace nordstjerna
