// Filters: by how much they differ in focus, whose turn it is, and the ramp of a cooler.
#include <QtTest>
#include <cmath>
#include <numeric>

#include "core/base/random.h"
#include "core/focus/filter_offsets.h"
#include "core/image/cooler_ramp.h"
#include "core/procedure/filter_change.h"
#include "core/series/filter_turns.h"
#include "core/series/series_frame.h"
#include "core/series/series_plan.h"
#include "demo_series.h"
#include "registry.h"

using namespace nordstjerna;

class FiltersTest : public QObject {
    Q_OBJECT
private slots:
    void offsetsOfOneEvening();
    void offsetsAreHonest();
    void offsetsWithoutTheirErrors();
    void neverComparedIsNotKnown();
    void runsBroughtToOneFilter();
    void turns();
    void aPlanChangesFilters();
    void senselessTurnsAreRefused();
    void framesAreComparedWithinTheirFilter();
    void focusBeyondTheTravel();
    void stoppedBeyondItsPlace();
    void coolerGoesDownSlowly();
    void coolerThatIsTooWeak();
    void coolerWarmsUpAndIsSwitchedOff();
};

namespace {
const Instant firstEvening = *parseInstant("2026-10-14T20:00:00");

FocusedOnce run(const std::string& filter, double after_min, double steps, double sigma,
                std::optional<double> temperature_c = std::nullopt) {
    return {firstEvening + 60.0 * after_min, {steps, sigma}, temperature_c, filter};
}

// A sensor that follows its target at most 12 °C a minute and reaches so far below the air.
struct Sensor {
    double air_c = 8.0, reach_c = 35.0;
    CoolerState state{8.0, std::nullopt, false, 0.0};
    double fastest_c_min = 0.0;
    void live(double seconds, const std::optional<CoolerOrder>& order) {
        if (order) {
            state.on = order->on;
            state.target_c = order->on ? std::optional(order->target_c) : std::nullopt;
        }
        const double before = state.sensor_c;
        const double wish = state.on ? *state.target_c : air_c;
        const double most = 0.2 * seconds;
        state.sensor_c = std::clamp(wish, before - most, before + most);
        state.sensor_c = std::clamp(state.sensor_c, air_c - reach_c, air_c);
        state.power = state.on ? std::clamp((air_c - wish) / reach_c, 0.0, 1.0) : 0.0;
        fastest_c_min = std::max(fastest_c_min, 60.0 * std::abs(state.sensor_c - before) / seconds);
    }
};

// Until the phase is reached, or for so long; how long it took.
double lead(CoolerRamp& ramp, Sensor& sensor, CoolerPhase until, double most_s = 7200.0) {
    constexpr double look_s = 2.0;
    for (double t = 0.0; t < most_s; t += look_s) {
        sensor.live(look_s, ramp.next(sensor.state, t));
        if (ramp.phase() == until)
            return t;
    }
    return -1.0;
}
} // namespace

void FiltersTest::offsetsOfOneEvening() {
    // The first filter again at the end: the drift with the temperature drops out.
    const auto o = filterOffsets({run("L", 0, 1000, 2, 5.0), run("R", 10, 1030 - 4, 2, 4.8),
                                  run("G", 20, 990 - 8, 2, 4.6), run("L", 30, 1000 - 12, 2, 4.4)},
                                 1000.0);
    QCOMPARE(o.reference, std::string("L"));
    QVERIFY(std::abs(o.between("L", "R")->value - 30.0) < 0.5);
    QVERIFY(std::abs(o.between("L", "G")->value + 10.0) < 0.5);
    QVERIFY(std::abs(o.between("R", "G")->value + 40.0) < 0.5);
    QVERIFY(std::abs(o.between("G", "R")->value - 40.0) < 0.5);
    QCOMPARE(o.between("R", "R")->value, 0.0);
    QVERIFY(o.between("L", "R")->sigma > 1.0);
}

// Worlds with a slope of any size, evenings that begin elsewhere (the camera was taken off meanwhile),
// several runs through some filters.
void FiltersTest::offsetsAreHonest() {
    Random random(29);
    const std::vector<std::string> names{"L", "R", "G", "B", "Ha"};
    int within = 0, asked = 0;
    for (int world = 0; world < 300; ++world) {
        const double slope = 12.0 * random.gaussian();
        const double sigma = random.uniform(1.0, 8.0);
        std::vector<double> truth;
        for (size_t f = 0; f < names.size(); ++f)
            truth.push_back(f == 0 ? 0.0 : 40.0 * random.gaussian());
        std::vector<FocusedOnce> runs;
        const int evenings = 1 + world % 3;
        for (int e = 0; e < evenings; ++e) {
            const double base = 8000.0 + 300.0 * random.gaussian();
            double t = random.uniform(-5.0, 15.0);
            std::vector<size_t> order(names.size());
            std::iota(order.begin(), order.end(), size_t{0});
            order.push_back(0);
            for (size_t k = 0; k < order.size(); ++k) {
                const size_t f = order[k];
                t -= random.uniform(0.0, 0.4);
                runs.push_back(run(names[f], 1440.0 * e + 8.0 * static_cast<double>(k),
                                   base + slope * t + truth[f] + sigma * random.gaussian(), sigma, t));
            }
        }
        const auto o = filterOffsets(runs, 15.0);
        for (size_t f = 1; f < names.size(); ++f) {
            const auto by = o.between(names[f - 1], names[f]);
            QVERIFY(by.has_value());
            ++asked;
            within += std::abs(by->value - (truth[f] - truth[f - 1])) < by->sigma;
        }
    }
    const double share = static_cast<double>(within) / asked;
    QVERIFY2(share > 0.60 && share < 0.76, qPrintable(QString::number(share)));
}

// Runs that scatter more than their own ± says: with some evenings the ± grows.
void FiltersTest::offsetsWithoutTheirErrors() {
    Random random(30);
    int within = 0;
    constexpr int worlds = 300;
    for (int world = 0; world < worlds; ++world) {
        const double real = random.uniform(4.0, 10.0);
        std::vector<FocusedOnce> runs;
        for (int e = 0; e < 8; ++e)
            for (int k = 0; k < 3; ++k)
                runs.push_back(run(k == 1 ? "R" : "L", 1440.0 * e + 10.0 * k,
                                   7000.0 + (k == 1 ? 25.0 : 0.0) + real * random.gaussian(), 2.0));
        const auto by = filterOffsets(runs, 15.0).between("L", "R");
        within += std::abs(by->value - 25.0) < by->sigma;
    }
    const double share = static_cast<double>(within) / worlds;
    QVERIFY2(share > 0.60 && share < 0.76, qPrintable(QString::number(share)));
}

void FiltersTest::neverComparedIsNotKnown() {
    // R and G on another evening than L: how far L is from them nobody knows.
    const auto o = filterOffsets({run("L", 0, 1000, 2), run("L", 20, 1001, 2), run("R", 3000, 4000, 2),
                                  run("G", 3010, 4020, 2), run("", 3020, 5, 2)},
                                 15.0);
    QVERIFY(!o.between("L", "R"));
    QVERIFY(!o.between("L", "B"));
    QVERIFY(std::abs(o.between("R", "G")->value - 20.0) < 0.1);
    QVERIFY(!filterOffsets({}, 15.0).between("L", "R"));
    // A common third ties two evenings.
    const auto tied = filterOffsets(
        {run("L", 0, 1000, 2), run("R", 20, 1030, 2), run("R", 3000, 4000, 2), run("G", 3010, 4020, 2)},
        15.0);
    QVERIFY(std::abs(tied.between("L", "G")->value - 50.0) < 0.1);
    QVERIFY(tied.between("L", "G")->sigma > tied.between("L", "R")->sigma);
}

void FiltersTest::runsBroughtToOneFilter() {
    // What the temperature does is seen through all filters together.
    std::vector<FocusedOnce> runs;
    for (int k = 0; k < 8; ++k)
        runs.push_back(
            run(k % 2 ? "R" : "L", 10.0 * k, 500.0 + (k % 2 ? 60.0 : 0.0) + 20.0 * k, 1.0, 10.0 + k));
    QVERIFY(std::abs(heatSlope(runs)->steps_c.value - 20.0) > 1.0); // of different filters it is wrong
    const auto alike = throughReference(runs, filterOffsets(runs, 50.0));
    QCOMPARE(alike.size(), runs.size());
    QVERIFY(std::abs(heatSlope(alike)->steps_c.value - 20.0) < 0.5);
}

void FiltersTest::turns() {
    SeriesSetup s;
    s.exposure_s = 180.0;
    QVERIFY(!turnAt(s, 0));
    QCOMPARE(exposureAt(s, 5), 180.0);
    QCOMPARE(filterAt(s, 5), std::string());
    s.turns = {{"L", 3, 0.0}, {"R", 1, 120.0}, {"G", 1, 120.0}};
    std::string sequence;
    for (int n = 0; n < 8; ++n)
        sequence += filterAt(s, n);
    QCOMPARE(sequence, std::string("LLLRGLLL"));
    QCOMPARE(exposureAt(s, 2), 180.0);
    QCOMPARE(exposureAt(s, 3), 120.0);
    const auto counts = countByFilter(s, 3, 7); // R G L L L R G
    QCOMPARE(counts.size(), size_t(3));
    QCOMPARE(counts[0].frames, 3);
    QCOMPARE(counts[1].frames, 2);
    QCOMPARE(counts[2].exposed_s, 240.0);
}

namespace {
SeriesSetup filteredSeries() {
    SeriesSetup s = demoSeries();
    s.rig.filters = {"L", "R", "G"};
    return s;
}
} // namespace

void FiltersTest::aPlanChangesFilters() {
    SeriesSetup s = filteredSeries();
    s.turns = {{"L", 2, 0.0}, {"R", 1, 60.0}};
    s.ends.frames = 9;
    s.dither.every = 0;
    s.changing_s = 20.0;
    const auto rules = SeriesRules::from(s, firstEvening);
    QVERIFY2(rules.has_value(), rules ? "" : rules.error().text().c_str());
    const SeriesPlan plan = planSeries(s, *rules, firstEvening, false, 0, true);
    QCOMPARE(plan.frames, 9);
    QCOMPARE(plan.exposed_s, 6 * 180.0 + 3 * 60.0);
    int changes = 0;
    for (const PlanBlock& b : plan.blocks)
        changes += b.kind == PlanKind::filter;
    QCOMPARE(changes, 5); // L L R L L R L L R
    // Time that is left for a short frame is used by it alone.
    SeriesSetup shorter = s;
    shorter.ends.frames = 0;
    shorter.ends.at = firstEvening + 100.0;
    shorter.turns = {{"R", 1, 60.0}};
    const auto soon = SeriesRules::from(shorter, firstEvening);
    QVERIFY(soon.has_value());
    QCOMPARE(planSeries(shorter, *soon, firstEvening, false, 0, true).frames, 1);
}

void FiltersTest::senselessTurnsAreRefused() {
    SeriesSetup s = filteredSeries();
    s.turns = {{"Z", 1, 0.0}};
    QVERIFY(validateSeries(s).error().what.english() == "There is no filter Z.");
    s.turns = {{"L", 0, 0.0}};
    QVERIFY(!validateSeries(s));
    s.turns = {{"L", 1, 9000.0}};
    QVERIFY(!validateSeries(s));
    s.turns = {{"L", 1, 30.0}};
    QVERIFY(validateSeries(s).has_value());
    s.cooler.to_c = -80.0;
    QVERIFY(!validateSeries(s));
    Rig two = s.rig;
    two.filters = {"L", "", "", "L"};
    QVERIFY(validateRig(two).error().what.english() == "Two filters are called L.");
    two.filters = {"L", "", "", "R"};
    QVERIFY(validateRig(two).has_value());
}

// A narrow filter lets fewer stars and less sky through and has other widths: no cloud, and nothing unsharp.
void FiltersTest::framesAreComparedWithinTheirFilter() {
    std::vector<SeriesFrame> frames;
    const auto take = [&](const std::string& filter, int stars, double fwhm) {
        SeriesFrame f;
        f.filter = filter;
        f.exposure_s = 60.0;
        f.look.stars = stars;
        f.look.fwhm_px = {fwhm, 0.05};
        f.remark = remarkOn(f, frames);
        frames.push_back(f);
    };
    for (int k = 0; k < 6; ++k)
        take(k % 2 ? "Ha" : "L", k % 2 ? 60 : 400, k % 2 ? 2.2 : 3.0);
    take("Ha", 58, 2.2);
    QCOMPARE(frames.back().remark, Remark::none);
    take("Ha", 20, 2.2);
    QCOMPARE(frames.back().remark, Remark::cloud);
    // Stars that grow through both are seen, filters that differ are not.
    frames.clear();
    for (int k = 0; k < 16; ++k)
        take(k % 2 ? "Ha" : "L", k % 2 ? 60 : 400, k % 2 ? 2.2 : 3.0);
    QVERIFY(focusLoss(frames) < 0.01);
    for (int k = 0; k < 8; ++k)
        take(k % 2 ? "Ha" : "L", k % 2 ? 60 : 400, (k % 2 ? 2.2 : 3.0) * 1.15);
    QVERIFY(focusLoss(frames) > 0.12);
}

// The focuser cannot follow the filter: said before it is sent, at either end; within its travel it goes.
void FiltersTest::focusBeyondTheTravel() {
    for (const double by : {-700.0, 300.0, 900.0}) {
        FilterChangeSetup setup;
        setup.filters = {"L", "R"};
        setup.to = "R";
        setup.by_steps = by;
        FilterChange change(setup);
        Event event;
        QVERIFY(std::holds_alternative<FilterStep>(change.next(event)));
        event.what = FilterAnswered{{1, {}}};
        QVERIFY(std::holds_alternative<FocuserStep>(change.next(event)));
        event.what = FocuserAnswered{{600.0, 0.0, 1000.0, std::nullopt}};
        const Step step = change.next(event);
        if (by == 300.0) {
            QVERIFY(std::holds_alternative<FocuserStep>(step));
            continue;
        }
        const auto* failed = std::get_if<FailStep>(&step);
        QVERIFY(failed);
        QCOMPARE(failed->problem.what.english(),
                 std::string("The focus of the filter R is out of the focuser's reach."));
        QVERIFY2(failed->problem.why.english().find("0 to 1000 steps") != std::string::npos,
                 failed->problem.why.english().c_str());
    }
}

// Stopped while the focuser stands beyond its place, where the backlash is taken up: it comes back first.
void FiltersTest::stoppedBeyondItsPlace() {
    FilterChangeSetup setup;
    setup.filters = {"L", "R"};
    setup.to = "R";
    setup.by_steps = -100.0;
    setup.takeUp_steps = 40.0;
    FilterChange change(setup);
    Event event;
    static_cast<void>(change.next(event));
    event.what = FilterAnswered{{1, {}}};
    static_cast<void>(change.next(event));
    event.what = FocuserAnswered{{600.0, 0.0, 1000.0, std::nullopt}};
    const Step beyond = change.next(event);
    QVERIFY(std::holds_alternative<FocuserStep>(beyond));
    QCOMPARE(std::get<FocuserStep>(beyond).steps, std::optional(460));
    event.what = StopAsked{};
    const Step back = change.next(event);
    QVERIFY(std::holds_alternative<FocuserStep>(back));
    QCOMPARE(std::get<FocuserStep>(back).steps, std::optional(500));
    QVERIFY(std::holds_alternative<DoneStep>(change.next(event))); // the wish is repeated until it is heeded
}

void FiltersTest::coolerGoesDownSlowly() {
    CoolerRamp ramp;
    Sensor sensor;
    QVERIFY(!ramp.next(sensor.state, 0.0)); // nobody asked anything of it
    ramp.cool(-10.0);
    const double seconds = lead(ramp, sensor, CoolerPhase::holding);
    QVERIFY2(seconds > 18.0 / CoolerRamp::pace_c_min * 60.0 - 1.0 && seconds < 320.0,
             qPrintable(QString::number(seconds)));
    QVERIFY(std::abs(sensor.state.sensor_c + 10.0) < 0.5);
    // No step of the target is larger than the pace has grown to, so the sensor never falls by more at once.
    QVERIFY2(sensor.fastest_c_min < 16.0, qPrintable(QString::number(sensor.fastest_c_min)));
    // The same wish again changes nothing; another one begins from here.
    ramp.cool(-10.0);
    QCOMPARE(ramp.phase(), CoolerPhase::holding);
    ramp.cool(-5.0);
    QCOMPARE(ramp.phase(), CoolerPhase::cooling);
    QVERIFY(lead(ramp, sensor, CoolerPhase::holding) > 0.0);
    QVERIFY(std::abs(sensor.state.sensor_c + 5.0) < 0.5);
}

void FiltersTest::coolerThatIsTooWeak() {
    CoolerRamp ramp;
    Sensor sensor;
    sensor.reach_c = 25.0;
    ramp.cool(-25.0);
    QVERIFY(lead(ramp, sensor, CoolerPhase::exhausted) > 0.0);
    QVERIFY(std::abs(sensor.state.sensor_c + 17.0) < 0.1);
    sensor.air_c = -2.0; // the night grows colder: it gets there after all
    QVERIFY(lead(ramp, sensor, CoolerPhase::holding) > 0.0);
}

void FiltersTest::coolerWarmsUpAndIsSwitchedOff() {
    CoolerRamp ramp;
    Sensor sensor;
    ramp.cool(-10.0);
    QVERIFY(lead(ramp, sensor, CoolerPhase::holding) > 0.0);
    ramp.warm();
    const double seconds = lead(ramp, sensor, CoolerPhase::warm);
    QVERIFY2(seconds > 18.0 / CoolerRamp::pace_c_min * 60.0, qPrintable(QString::number(seconds)));
    QVERIFY(!sensor.state.on);
    QVERIFY(sensor.state.sensor_c > 7.0);
    QVERIFY(!ramp.next(sensor.state, 1e6));
}

NORDSTJERNA_TEST(FiltersTest)
#include "filters_test.moc"
