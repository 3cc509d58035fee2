#include "desk/evening/calibration_book.h"

#include <algorithm>

#include "core/findings/rates_findings.h"
#include "core/procedure/prepare_guiding.h"
#include "core/rates/reuse.h"
#include "core/review/entry_figures.h"
#include "core/rig/scales.h"
#include "edge/store/json_reader.h"
#include "edge/store/rates_json.h"

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
    connect(&logbook, &Logbook::ratesAdded, this, again);
}

void CalibrationBook::check() {
    if (!rates_)
        return;
    const CalibrationSetup now = setupOf(rigs_.rig());
    if (rates_->setup.bin != now.bin)
        rates_ = ratesAtBinning(*rates_, now.bin);
    agedBy_ = whyRatesAged(rates_->setup, now);
}

void CalibrationBook::readPast() {
    past_ = logbook_.ratesOf(rigs_.rig().id);
}

void CalibrationBook::take(const std::optional<Rates>& rates, bool seen) {
    rates_ = rates;
    agedBy_ = {};
    seen_ = seen;
    look_.reset();
    check();
}

void CalibrationBook::takeLatest() {
    const auto good = std::find_if(past_.begin(), past_.end(), [](const LoggedRates& past) {
        return past.rates.verdict != RatesVerdict::bad;
    });
    take(good == past_.end() ? std::nullopt : std::optional(good->rates), false);
}

void CalibrationBook::heed(const std::optional<RatesLook>& look) {
    if (!look || !rates_ || seen_ || (look_ && look_->hold == look->hold))
        return;
    if (look->hold == RatesHold::turned)
        rates_ = ratesTurned(*rates_, look->turn_deg.value);
    if (look->hold == RatesHold::notAny)
        agedBy_ = look->why;
    seen_ = look->hold != RatesHold::unknown;
    look_ = look;
    Q_EMIT changed();
}

void CalibrationBook::ageRates(const std::string& reason) {
    if (rates_)
        agedBy_ = reason;
    Q_EMIT changed();
}

void CalibrationBook::turnRates(double rotator_deg) {
    if (rates_)
        rates_ = ratesTurned(*rates_, rotator_deg);
    Q_EMIT changed();
}

std::optional<bool> CalibrationBook::decReverses() const {
    const auto& seen = evening_.evening().decReverses;
    const auto known = seen.find(rigs_.rig().mount.id);
    return known != seen.end() ? std::optional<bool>(known->second) : std::nullopt;
}

std::optional<Rates> CalibrationBook::ratesHere() const {
    return ratesOnSide(rates_, mount_.state().side, decReverses());
}

void CalibrationBook::setDecReverses(bool reverses) {
    evening_.edit([&](Evening& e) { e.decReverses[rigs_.rig().mount.id] = reverses; });
    Q_EMIT changed();
}

void CalibrationBook::restoreRates(const Rates& rates) {
    take(rates, true);
    Q_EMIT changed();
}

void CalibrationBook::setRates(const Rates& rates) {
    take(rates, true);
    logRates(rates);
    Q_EMIT changed();
}

void CalibrationBook::logRates(const Rates& rates) {
    LogEntry entry = night_.newEntry(EntryKind::rates);
    entry.target.clear();
    entry.how = Text::say("measured: %1").arg(Text::say(verdictName(rates.verdict))).english();
    entry.figures = figuresOfRates(rates);
    entry.findings = ratesFindings(rates, correctionReach(settings_.book()));
    entry.detail = jsonText(ratesToJson(rates));
    logbook_.add(std::move(entry));
    logbook_.addRates(night_.now(), rigs_.rig(), rates);
}

} // namespace nordstjerna
