// The tests of station Rates that pulse a star for what it tells: the response test and the gear check.
#include "desk/logbook.h"
#include "desk/stations/rates/rates_station.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

// Test: a procedure; Setup: what it begins from. found: takes over what a test tells that has ended in order.
template <typename Test, typename Setup>
void RatesStation::pulseForTest(const std::function<void(const Test&)>& found) {
    const auto rates = needs_.calibrationBook.calibrationHere();
    if (!rates)
        return;
    measuring_ = testing_ = true;
    Setup setup;
    setup.rig = rigs().rig();
    setup.calibration = *rates;
    procedures().run<Test, Progress>(
        std::make_shared<Test>(setup), [](const Test& t) { return t.progress(); },
        [this](const Progress& p) { steps()->show(p); },
        [this, found](const std::shared_ptr<Test>& t, const Expected<void>& done) {
            measuring_ = testing_ = false;
            steps()->clear();
            if (done)
                found(*t);
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().working())
        measuring_ = testing_ = false;
    refresh();
}

void RatesStation::testResponse() {
    answer_.reset();
    pulseForTest<ResponseRun, ResponseRunSetup>([this](const ResponseRun& r) {
        constexpr int fewest = 30; // frames, of a test that was stopped
        if (r.framesSeen() < fewest)
            return;
        answer_ = Answer{r.ra(), r.dec()};
        pages_->setCurrent(1);
    });
}

void RatesStation::checkGears() {
    checked_.reset();
    pulseForTest<GearCheck, GearCheckSetup>([this](const GearCheck& g) {
        if (!g.answer())
            return;
        checked_ = CheckedGears{*g.answer(), g.decRate_arcsec_s()};
        logGears();
        pages_->setCurrent(1);
    });
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
