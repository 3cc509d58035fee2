// Rates and what the loop has learnt: of tonight, of earlier nights, until something about the rig changes.
#include "desk/session.h"

#include "charts/text.h"
#include "core/findings/rates_findings.h"
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
    return s;
}
} // namespace

void Session::checkRates() {
    if (!rates_)
        return;
    const CalibrationSetup now = setupOf(rig_);
    if (rates_->setup.bin != now.bin)
        rates_ = ratesAtBinning(*rates_, now.bin);
    ratesAgedBy_ = whyRatesAged(rates_->setup, now);
}

void Session::readPastRates() {
    pastRates_ =
        log_ ? log_->ratesOf(rig_.id).value_or(std::vector<LoggedRates>{}) : std::vector<LoggedRates>{};
}

void Session::takeLatestRates() {
    rates_.reset();
    ratesAgedBy_.clear();
    for (const LoggedRates& past : pastRates_)
        if (past.rates.verdict != RatesVerdict::bad) {
            rates_ = past.rates;
            checkRates();
            return;
        }
}

void Session::ageRates(const std::string& reason) {
    if (rates_)
        ratesAgedBy_ = reason;
    Q_EMIT resultsChanged();
}

void Session::turnRates(double rotator_deg) {
    if (rates_)
        rates_ = ratesTurned(*rates_, rotator_deg);
    Q_EMIT resultsChanged();
}

std::optional<Rates> Session::ratesHere() const {
    const std::string side = mountState().side;
    if (rates_ && !rates_->setup.side.empty() && !side.empty() && rates_->setup.side != side)
        return ratesAcrossPier(*rates_, evening_.decReverses.contains(rig_.id)
                                            ? std::optional<bool>(evening_.decReverses.at(rig_.id))
                                            : std::nullopt);
    return rates_;
}

LoopPriors Session::taught() const {
    const auto known = evening_.taught.find(rig_.id);
    LoopPriors priors = known != evening_.taught.end() ? known->second : LoopPriors();
    // A test tells more of the play than guiding does.
    if (backlash_ && backlash_->dead_arcsec.value > 0.0)
        priors.dec.gap_arcsec = backlash_->dead_arcsec;
    return priors;
}

void Session::learn(const LoopPriors& taught) {
    LoopPriors& known = evening_.taught[rig_.id];
    if (taught.ra.worm)
        known.ra = taught.ra;
    if (taught.dec.gap_arcsec)
        known.dec = taught.dec;
    keepEvening();
}

void Session::setDecReverses(bool reverses) {
    evening_.decReverses[rig_.id] = reverses;
    keepEvening();
    Q_EMIT resultsChanged();
}

void Session::restoreRates(const Rates& rates) {
    rates_ = rates;
    ratesAgedBy_.clear();
    checkRates();
    Q_EMIT resultsChanged();
}

void Session::setRates(const Rates& rates) {
    rates_ = rates;
    ratesAgedBy_.clear();
    logRates(rates);
    Q_EMIT resultsChanged();
}

void Session::logRates(const Rates& rates) {
    LogEntry entry = newEntry(EntryKind::rates);
    entry.target.clear();
    entry.how = std::string("measured: ") + verdictName(rates.verdict);
    entry.figures = figuresOfRates(rates);
    entry.findings = ratesFindings(rates, correctionReach(settings_));
    entry.detail = jsonText(ratesToJson(rates));
    logbook_->add(std::move(entry));
    const auto told = [this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this,
            [this, done] {
                if (!done) {
                    notLogged_ = qs(done.error().text());
                } else {
                    notLogged_.clear();
                    if (!log_)
                        openLog();
                    readPastRates();
                }
                Q_EMIT resultsChanged();
            },
            Qt::QueuedConnection);
    };
    // A connection of its own: the write may have to wait for another instance.
    queue_->post(
        [path = dataFolder_ / "night-log.sqlite", when = now(), rig = rig_, rates]() -> Expected<void> {
            auto log = NightLog::open(path);
            if (!log)
                return tl::unexpected(log.error());
            return log->addRates(when, rig, rates);
        },
        told);
}

} // namespace nordstjerna
