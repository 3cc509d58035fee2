// The tests of station Rates that pulse a star for what it tells: the response test and the gear check.
#include "desk/logbook.h"
#include "desk/stations/rates/rates_station.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

void RatesStation::testResponse() {
    const auto rates = needs_.calibrationBook.calibrationHere();
    if (!rates)
        return;
    measuring_ = testing_ = true;
    answer_.reset();
    ResponseRunSetup setup;
    setup.rig = rigs().rig();
    setup.calibration = *rates;
    procedures().run<ResponseRun, Progress>(
        std::make_shared<ResponseRun>(setup), [](const ResponseRun& r) { return r.progress(); },
        [this](const Progress& p) { steps()->show(p); },
        [this](const std::shared_ptr<ResponseRun>& r, const Expected<void>& done) {
            measuring_ = testing_ = false;
            steps()->clear();
            constexpr int fewest = 30; // frames, of a test that was stopped
            if (done && r->framesSeen() >= fewest) {
                answer_ = Answer{r->ra(), r->dec()};
                pages_->setCurrent(1);
            }
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().working())
        measuring_ = testing_ = false;
    refresh();
}

void RatesStation::checkGears() {
    const auto rates = needs_.calibrationBook.calibrationHere();
    if (!rates)
        return;
    measuring_ = testing_ = true;
    checked_.reset();
    GearCheckSetup setup;
    setup.rig = rigs().rig();
    setup.calibration = *rates;
    procedures().run<GearCheck, Progress>(
        std::make_shared<GearCheck>(setup), [](const GearCheck& g) { return g.progress(); },
        [this](const Progress& p) { steps()->show(p); },
        [this](const std::shared_ptr<GearCheck>& g, const Expected<void>& done) {
            measuring_ = testing_ = false;
            steps()->clear();
            if (done && g->answer()) {
                checked_ = CheckedGears{*g->answer(), g->decRate_arcsec_s()};
                logGears();
                pages_->setCurrent(1);
            }
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().working())
        measuring_ = testing_ = false;
    refresh();
}

void RatesStation::logGears() {
    LogEntry entry = night().newEntry(EntryKind::gears);
    entry.findings = checked_->findings();
    entry.figures = {{"ra_west_over_east", checked_->answer.westOverEast}};
    if (checked_->answer.decTried)
        entry.figures.push_back({"dec_north_over_south", checked_->answer.northOverSouth});
    if (!checked_->answer.backlash_arcsec.empty())
        entry.figures.push_back({"dec_backlash_arcsec", checked_->answer.backlash_arcsec.front()});
    needs_.logbook.add(std::move(entry));
}

} // namespace nordstjerna
