// Filters and cooler in a whole series on the simulated night, and focusing through every filter.
#include <QtTest>

#include "core/procedure/filter_focusing.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

class FiltersNightTest : public QObject {
    Q_OBJECT
private slots:
    void framesInTurn();
    void byHand();
    void stuckWheel();
    void silentForMinutes_data();
    void silentForMinutes();
    void unknownOffsetsAreFoundByFocusing();
    void everyFilterIsFocused();
    void coolsFirstAndWarmsAfterwards();
    void aCoolerThatIsTooWeakCostsNoNight();
};

namespace {
// At an hour at which the target stands well, without pole error.
Scenario filterScenario() {
    Scenario s = seriesScenario();
    s.start = *parseInstant("2026-10-14T20:30:00");
    return s;
}

// What focus runs of an evening before would have found.
std::vector<FocusedOnce> learntBefore(const Scenario& s) {
    std::vector<FocusedOnce> runs;
    for (size_t f = 0; f < s.rig.filters.size(); ++f)
        runs.push_back(
            {s.start + -86400.0 + 600.0 * static_cast<double>(f),
             {s.imagingFocuser.begin_steps + s.wheel.offsets_um[f] / s.imagingFocuser.step_um, 1.0},
             8.0,
             s.rig.filters[f]});
    return runs;
}

SeriesSetup filteredSetup(const SeriesNight& n, const std::vector<FilterTurn>& turns, int frames) {
    SeriesSetup s = n.setup(60.0);
    s.turns = turns;
    s.ends.frames = frames;
    s.filters.wheel = true;
    s.motor = true;
    s.centre = false;
    s.guided = false;
    s.dither.every = 0;
    return s;
}

// How far out of focus the camera stands as each frame comes.
RunnerHooks noting(SeriesNight& n, const Series& series, std::vector<double>& defocus_um) {
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        while (defocus_um.size() < series.frames().size())
            defocus_um.push_back(n.night.trueDefocus_um(CameraRole::imaging));
    };
    return hooks;
}

std::string sequenceOf(const Series& series) {
    std::string all;
    for (const SeriesFrame& f : series.frames())
        all += (all.empty() ? "" : " ") + f.filter;
    return all;
}
} // namespace

void FiltersNightTest::framesInTurn() {
    const Scenario scenario = filterScenario();
    SeriesNight n(scenario);
    SeriesSetup setup = filteredSetup(n, {{"L", 2, 0.0}, {"R", 1, 30.0}, {"Ha", 1, 90.0}}, 9);
    setup.filters.runs = learntBefore(scenario);
    Series series(setup);
    std::vector<double> defocus_um;
    const RunnerHooks hooks = noting(n, series, defocus_um);
    const auto done = n.run(series, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(sequenceOf(series), std::string("L L R Ha L L R Ha L"));
    QCOMPARE(series.frames()[2].exposure_s, 30.0);
    QCOMPARE(series.frames()[3].exposure_s, 90.0);
    // Each frame in focus: the filters differ by up to 74 µm.
    for (double um : defocus_um)
        QVERIFY2(std::abs(um) < 3.0, qPrintable(QString::number(um)));
    for (const SeriesFrame& f : series.frames())
        QCOMPARE(f.remark, Remark::none);
}

void FiltersNightTest::byHand() {
    Scenario scenario = filterScenario();
    scenario.wheel = {};
    SeriesNight n(scenario);
    SeriesSetup setup = filteredSetup(n, {{"R", 1, 0.0}, {"G", 1, 0.0}}, 3);
    setup.filters.wheel = false;
    setup.motor = false;
    Series series(setup);
    int asked = 0, waited = 0;
    RunnerHooks hooks;
    std::string words;
    hooks.seen = [&](Procedure&) {
        if (!series.wantsFilterByHand()) {
            waited = 0;
            return;
        }
        words = series.waitingFor().english();
        if (++waited == 5) { // a person takes their time
            ++asked;
            series.goOn();
        }
    };
    const auto done = n.run(series, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(sequenceOf(series), std::string("R G R"));
    QCOMPARE(asked, 3);
    QVERIFY2(words.find("filter R") != std::string::npos, words.c_str());
}

void FiltersNightTest::stuckWheel() {
    Scenario scenario = filterScenario();
    scenario.wheel.stuck = true;
    SeriesNight n(scenario);
    SeriesSetup setup = filteredSetup(n, {{"L", 1, 0.0}, {"B", 1, 0.0}}, 4);
    setup.filters.runs = learntBefore(scenario);
    Series series(setup);
    const auto done = n.run(series);
    QVERIFY(!done);
    QVERIFY2(done.error().text().find("The filter wheel did not turn to B") != std::string::npos,
             done.error().text().c_str());
    // What was taken stays, and the mount is at rest.
    QCOMPARE(sequenceOf(series), std::string("L"));
    QVERIFY(!n.night.mount().state()->tracking);
}

// The wheel, which hangs on the camera's cable, while it is to turn; the focuser before it moves or on its
// way: the series waits, and the focuser goes to where it was to go, not on from where it stopped.
void FiltersNightTest::silentForMinutes_data() {
    QTest::addColumn<bool>("wheel");
    QTest::addColumn<int>("step"); // of these, since the first frame
    QTest::newRow("wheel") << true << 1;
    QTest::newRow("focuser, asked") << false << 1;
    QTest::newRow("focuser, moving") << false << 2;
}

void FiltersNightTest::silentForMinutes() {
    QFETCH(bool, wheel);
    QFETCH(int, step);
    const Scenario scenario = filterScenario();
    SeriesNight n(scenario);
    SeriesSetup setup = filteredSetup(n, {{"L", 1, 0.0}, {"B", 1, 0.0}}, 4);
    setup.filters.runs = learntBefore(scenario);
    Series series(setup);
    int happened = 0;
    std::vector<double> defocus_um;
    RunnerHooks hooks = noting(n, series, defocus_um);
    hooks.before = [&](const Procedure&, const Step& next) {
        const bool its =
            wheel ? std::holds_alternative<FilterStep>(next) : std::holds_alternative<FocuserStep>(next);
        if (!series.frames().empty() && its && ++happened == step)
            n.night.happen(wheel ? FaultKind::cameraLink : FaultKind::focuserLink, 1.0, 300.0);
    };
    const auto done = n.run(series, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(happened >= step);
    QCOMPARE(sequenceOf(series), std::string("L B L B"));
    for (double um : defocus_um)
        QVERIFY2(std::abs(um - defocus_um.front()) < 12.0, qPrintable(QString::number(um)));
}

// Nothing is known of the filters: each is focused when its turn comes, and from then on it is known.
void FiltersNightTest::unknownOffsetsAreFoundByFocusing() {
    Scenario scenario = filterScenario();
    scenario.rig.imagingCamera.width = 1000;
    scenario.rig.imagingCamera.height = 700;
    scenario.wheel.passes = {1.0, 0.5, 0.5, 0.5, 0.2};
    SeriesNight n(scenario, true);
    Slew there(scenario.rig,
               ObservedFrame(scenario.rig.site, n.night.clock().now()).hourAngleDec(n.setup().target), "");
    QVERIFY(n.run(there).has_value());
    SeriesSetup setup = filteredSetup(n, {{"L", 1, 5.0}, {"R", 1, 5.0}}, 6);
    Series series(setup);
    std::vector<double> defocus_um;
    const RunnerHooks hooks = noting(n, series, defocus_um);
    const auto done = n.run(series, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(sequenceOf(series), std::string("L R L R L R"));
    QCOMPARE(series.story().refocused.size(), size_t(2)); // R, then L again; all later ones by the offset
    for (const Refocus& r : series.story().refocused)
        QVERIFY2(r.found, r.word.english().c_str());
    for (double um : defocus_um)
        QVERIFY2(std::abs(um) < 25.0, qPrintable(QString::number(um)));
}

void FiltersNightTest::everyFilterIsFocused() {
    Scenario scenario = filterScenario();
    scenario.rig.imagingCamera.width = 1000;
    scenario.rig.imagingCamera.height = 700;
    scenario.rig.filters = {"L", "R", "Ha"};
    scenario.wheel.offsets_um = {0.0, 34.0, -28.0};
    scenario.wheel.passes = {1.0, 0.34, 0.1};
    scenario.cooling_c_h = 1.5; // the focus moves meanwhile
    SeriesNight n(scenario, true);
    Slew there(scenario.rig,
               ObservedFrame(scenario.rig.site, n.night.clock().now()).hourAngleDec(n.setup().target), "");
    QVERIFY(n.run(there).has_value());
    FilterFocusingSetup setup;
    setup.run.rig = scenario.rig;
    setup.run.exposure_s = 6.0;
    setup.through = scenario.rig.filters;
    FilterFocusing every(setup);
    const auto done = n.run(every);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(every.found().size(), size_t(4));
    QCOMPARE(every.filter(), std::string("L"));
    std::vector<FocusedOnce> runs;
    for (const auto& f : every.found())
        runs.push_back({f.when, f.result.curve.best_steps, f.result.temperature_c, f.filter});
    const auto offsets = filterOffsets(runs, scenario.rig.imagingFocuser);
    for (size_t f = 1; f < scenario.rig.filters.size(); ++f) {
        const auto by = offsets.between("L", scenario.rig.filters[f]);
        QVERIFY(by.has_value());
        const double truth = scenario.wheel.offsets_um[f] / scenario.imagingFocuser.step_um;
        QVERIFY2(std::abs(by->value - truth) < 4.0 * by->sigma && by->sigma < 6.0,
                 qPrintable(QString("%1: %2 ± %3, in truth %4")
                                .arg(QString::fromStdString(scenario.rig.filters[f]))
                                .arg(by->value)
                                .arg(by->sigma)
                                .arg(truth)));
    }
}

void FiltersNightTest::coolsFirstAndWarmsAfterwards() {
    const Scenario scenario = filterScenario();
    SeriesNight n(scenario);
    CoolerKeeper cooling(*n.devices.imagingCooler, n.night.clock());
    n.devices.cooling = &cooling;
    SeriesSetup setup = filteredSetup(n, {}, 2);
    setup.cooler.to_c = -10.0;
    setup.cooler.warmAfterwards = true;
    Series series(setup);
    std::vector<double> sensor_c;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        while (sensor_c.size() < series.frames().size())
            sensor_c.push_back(n.devices.imagingCooler->state()->sensor_c);
    };
    const auto done = n.run(series, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(sensor_c.size(), size_t(2));
    for (double c : sensor_c)
        QVERIFY2(std::abs(c + 10.0) < 0.6, qPrintable(QString::number(c)));
    QVERIFY(series.notCold().empty());
    // 18 °C at 5 °C a minute.
    QVERIFY(series.frames().front().start - scenario.start > 3.5 * 60.0);
    // It warms up without the series, and is switched off then.
    for (int i = 0; i < 900 && cooling.look().phase != CoolerPhase::warm; ++i) {
        n.night.clock().sleep(2.0, neverHalted);
        static_cast<void>(cooling.ask());
    }
    QCOMPARE(cooling.look().phase, CoolerPhase::warm);
    QVERIFY(!n.devices.imagingCooler->state()->on);
}

void FiltersNightTest::aCoolerThatIsTooWeakCostsNoNight() {
    Scenario scenario = filterScenario();
    scenario.cooler.reach_c = 12.0;
    SeriesNight n(scenario);
    CoolerKeeper cooling(*n.devices.imagingCooler, n.night.clock());
    n.devices.cooling = &cooling;
    SeriesSetup setup = filteredSetup(n, {}, 1);
    setup.cooler.to_c = -15.0;
    Series series(setup);
    QVERIFY(n.run(series).has_value());
    QCOMPARE(series.frames().size(), size_t(1));
    QVERIFY2(series.notCold().english().find("-15 °C is wanted") != std::string::npos ||
                 series.notCold().english().find("−15 °C is wanted") != std::string::npos,
             series.notCold().english().c_str());
    // Without any cooler it is said, too.
    Scenario bare = filterScenario();
    bare.cooler = {};
    SeriesNight m(bare);
    SeriesSetup wish = filteredSetup(m, {{"R", 1, 0.0}}, 1); // the failure is the cooler's, not the wheel's
    wish.cooler.to_c = -15.0;
    wish.filters.wheel = false;
    Series without(wish);
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) { without.goOn(); };
    const auto done = m.run(without, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(!without.notCold().empty());
    QCOMPARE(sequenceOf(without), std::string("R"));
}

NORDSTJERNA_TEST(FiltersNightTest)
#include "filters_night_test.moc"
