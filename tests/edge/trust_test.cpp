// A night that can be trusted: nothing lost, nothing claimed that is not so, whatever fails.
#include <sqlite3.h>
#include <sys/resource.h>

#include <QTemporaryDir>
#include <QtTest>
#include <csignal>
#include <fstream>
#include <thread>

#include "core/calibration/reuse.h"
#include "core/motion/run_event_words.h"
#include "core/pole/referee.h"
#include "core/procedure/backlash_test.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/guiding.h"
#include "core/procedure/slew.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "edge/store/evening_file.h"
#include "edge/store/file_names.h"
#include "edge/store/file_problems.h"
#include "edge/store/fits.h"
#include "edge/store/json_reader.h"
#include "edge/store/night_book.h"
#include "edge/store/rig_file.h"
#include "edge/store/rig_library.h"
#include "edge/store/run_recorder.h"
#include "edge/store/write_queue.h"
#include "night_fixture.h"
#include "registry.h"

using namespace nordstjerna;

class TrustTest : public QObject {
    Q_OBJECT
private slots:
    void init() { dir_ = std::make_unique<QTemporaryDir>(); }
    void fullDiskLosesNothing();
    void readOnlyFolderIsToldAndLeft();
    void tableCutAtAnyByteOpens();
    void runsOfTheSameSecondShareNoFile();
    void wholeFilesOrNone();
    void rowsAreThereWhenMeasured();
    void oneLostFrameEndsNothing();
    void lostMountLinkStopsCorrections();
    void deviceThatStaysAwayEndsTheRun();
    void everyWatchingProcedureIsPatient_data();
    void everyWatchingProcedureIsPatient();
    void haltStopsTrackingToo();
    void unconfirmedHaltIsTold();
    void rigsKeepTheirIdentity();
    void eveningComesBack();
    void eveningOfAnEarlierVersion();
    void partsAreKeptByThemselves();
    void hostileFilesAreProblems_data();
    void hostileFilesAreProblems();
    void logOfEarlierVersionMovesUp();
    void twoInstancesLogTogether();
    void queueTriesAgain();
    void whatFailsKeepsNothingElseBack();
    void logThatTakesNothing();
    void rigsOfForeignNamesShareNoFile();

private:
    std::filesystem::path in(const char* name) const { return dir_->filePath(name).toStdString(); }
    std::unique_ptr<QTemporaryDir> dir_;
};

namespace {

Run runOf(size_t rows) {
    Run run;
    run.meta.start = *parseInstant("2026-10-14T20:00:00");
    run.meta.kind = RunKind::guided;
    for (size_t i = 0; i < rows; ++i) {
        RunRow r;
        r.t_s = 2.25 * static_cast<double>(i);
        r.dra_arcsec = 0.1 * static_cast<double>(i % 7) - 0.3;
        r.ddec_arcsec = -0.05 * static_cast<double>(i % 5);
        r.snr = 40;
        r.stars = 3;
        r.events = eventsFrom(i == 3 ? "no frame: \"quoted\", with a comma" : "");
        run.rows.push_back(r);
    }
    return run;
}

// A disk on which no file grows beyond so many bytes.
class SmallDisk {
public:
    explicit SmallDisk(rlim_t bytes) {
        std::signal(SIGXFSZ, SIG_IGN);
        getrlimit(RLIMIT_FSIZE, &before_);
        rlimit limit = before_;
        limit.rlim_cur = bytes;
        setrlimit(RLIMIT_FSIZE, &limit);
    }
    ~SmallDisk() { setrlimit(RLIMIT_FSIZE, &before_); }
    SmallDisk(const SmallDisk&) = delete;
    SmallDisk& operator=(const SmallDisk&) = delete;

private:
    rlimit before_{};
};

Expected<Calibration> calibrationAt(SimulatedNight& night, Devices devices, const HourAngleDec& place) {
    RunnerControl control;
    Slew slew(night.scenario().rig, place, Text::say("to the place of the test"));
    if (auto done = runProcedure(slew, devices, control); !done)
        return tl::unexpected(done.error());
    CalibrationRun measurement({night.scenario().rig});
    if (auto done = runProcedure(measurement, devices, control); !done)
        return tl::unexpected(done.error());
    return *measurement.result();
}

// The link breaks off at the calls told.
TrackFunction brokenOff(TrackFunction inner, std::function<bool(int call)> at) {
    auto calls = std::make_shared<int>(0);
    return [=](const TrackStep& step, const StopFlag& halt) -> Expected<StarsTracked> {
        if (at(++*calls))
            return transientProblem(Text::say("The download broke off."), "", "");
        return inner(step, halt);
    };
}

Devices quick(SimulatedNight& night) {
    Devices d = night.devices();
    d.track = night.trackDirectly();
    return d;
}

Scenario faulty(FaultKind kind, double at_s, double length_s) {
    Scenario s = demoScenario();
    s.faults.push_back({kind, at_s, length_s, 0.0, 0.0});
    return s;
}

} // namespace

void TrustTest::fullDiskLosesNothing() {
    const Run all = runOf(400);
    RunRecorder recorder(in("run.ecsv"));
    Run growing;
    growing.meta = all.meta;
    int told = 0;
    {
        const SmallDisk disk(6000);
        for (const RunRow& row : all.rows) {
            growing.rows.push_back(row);
            told += !recorder.update(growing).has_value();
        }
        QCOMPARE(told, 1); // once, not with each row
        const RecordState state = recorder.state();
        QVERIFY(!state.complete() && state.rows > 20 && state.rows + state.waiting == 400);
        QVERIFY(state.trouble.has_value());
        // What is on disk is whole rows.
        const auto part = readRunTable(in("run.ecsv"));
        QVERIFY2(part.has_value(), part ? "" : part.error().text().c_str());
        QCOMPARE(part->rows.size(), state.rows);
    }
    // Room again: the next row brings all that waited.
    growing.rows.push_back(all.rows.back());
    growing.rows.back().t_s += 2.25;
    QVERIFY(recorder.update(growing).has_value());
    QVERIFY(recorder.state().complete());
    const auto back = readRunTable(in("run.ecsv"));
    QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
    QCOMPARE(back->rows.size(), size_t(401));
    // Elsewhere from now on: the whole run is there.
    recorder.moveTo(in("elsewhere.ecsv"), growing);
    QVERIFY(recorder.update(growing).has_value());
    QCOMPARE(readRunTable(in("elsewhere.ecsv"))->rows.size(), size_t(401));
}

void TrustTest::readOnlyFolderIsToldAndLeft() {
    Run run = runOf(5);
    RunRecorder recorder(in("no/such/folder/run.ecsv"));
    const auto first = recorder.update(run);
    QVERIFY(!first && first.error().why.english().find("no such folder") != std::string::npos);
    QVERIFY(recorder.update(run).has_value()); // told once
    QVERIFY(!recorder.state().complete());
    std::filesystem::create_directories(in("no/such/folder"));
    QVERIFY(recorder.update(run).has_value());
    QVERIFY(recorder.state().complete());
    QCOMPARE(readRunTable(recorder.state().path)->rows.size(), size_t(5));
}

void TrustTest::tableCutAtAnyByteOpens() {
    const Run run = runOf(9);
    QVERIFY(writeRunTable(in("whole.ecsv"), run).has_value());
    const std::string text = *readWhole(in("whole.ecsv"), 1 << 20);
    const size_t header = text.find("\nt dra") + 1;
    const size_t names = text.find('\n', header) + 1;
    for (size_t cut = 0; cut <= text.size(); ++cut) {
        std::ofstream(in("cut.ecsv"), std::ios::binary) << text.substr(0, cut);
        const auto back = readRunTable(in("cut.ecsv"));
        if (cut < names) {
            QVERIFY2(!back && !back.error().why.empty(), qPrintable(QString::number(cut)));
            continue;
        }
        QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
        const auto whole = std::count(text.begin() + static_cast<std::ptrdiff_t>(names),
                                      text.begin() + static_cast<std::ptrdiff_t>(cut), '\n');
        QCOMPARE(back->rows.size(), static_cast<size_t>(whole));
        for (size_t i = 0; i < back->rows.size(); ++i)
            QVERIFY(std::abs(back->rows[i].dra_arcsec - run.rows[i].dra_arcsec) < 1e-4);
    }
}

void TrustTest::runsOfTheSameSecondShareNoFile() {
    std::vector<std::thread> instances;
    std::vector<std::filesystem::path> paths(8);
    for (size_t k = 0; k < paths.size(); ++k)
        instances.emplace_back([this, k, &paths] {
            RunRecorder recorder(in("20261014T200000-guided.ecsv"));
            Run run = runOf(20 + k);
            QVERIFY(recorder.update(run).has_value());
            paths[k] = recorder.state().path;
        });
    for (auto& t : instances)
        t.join();
    for (size_t k = 0; k < paths.size(); ++k) {
        QCOMPARE(readRunTable(paths[k])->rows.size(), 20 + k);
        for (size_t j = 0; j < k; ++j)
            QVERIFY(paths[j] != paths[k]);
    }
}

void TrustTest::wholeFilesOrNone() {
    QVERIFY(writeWhole(in("a.txt"), "first", false).has_value());
    QVERIFY(!writeWhole(in("a.txt"), "second", false).has_value());
    {
        const SmallDisk disk(3);
        QVERIFY(!writeWhole(in("a.txt"), "much longer", true).has_value());
        QVERIFY(!writeWhole(in("b.txt"), "much longer", false).has_value());
    }
    QCOMPARE(*readWhole(in("a.txt"), 100), std::string("first"));
    QVERIFY(!std::filesystem::exists(in("b.txt")));
    QVERIFY(writeWhole(in("a.txt"), "third", true).has_value());
    QCOMPARE(*readWhole(in("a.txt"), 100), std::string("third"));
    // Nothing is left lying beside them.
    QCOMPARE(std::distance(std::filesystem::directory_iterator(dir_->path().toStdString()), {}), 1);
    Frame frame(64, 48);
    {
        const SmallDisk disk(3000);
        QVERIFY(!writeFits(in("f.fits"), frame).has_value());
    }
    QVERIFY(!std::filesystem::exists(in("f.fits")));
}

void TrustTest::rowsAreThereWhenMeasured() {
    // The row of a frame is on disk before the next exposure begins.
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = quick(night);
    const auto calibration = calibrationAt(night, devices, nearEquator);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = *calibration;
    setup.length_s = 60.0;
    Guiding guiding(setup);
    RunRecorder recorder(in("run.ecsv"));
    RunnerControl control;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) { QVERIFY(recorder.update(guiding.run()).has_value()); };
    int late = 0;
    const TrackFunction inner = devices.track;
    devices.track = [&](const TrackStep& step, const StopFlag& halt) {
        late += recorder.state().rows != guiding.run().rows.size();
        return inner(step, halt);
    };
    QVERIFY(runProcedure(guiding, devices, control, hooks).has_value());
    QCOMPARE(late, 0);
    QCOMPARE(recorder.state().rows, guiding.run().rows.size());
}

void TrustTest::oneLostFrameEndsNothing() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = quick(night);
    const auto calibration = calibrationAt(night, devices, nearEquator);
    QVERIFY(calibration.has_value());
    devices.track = brokenOff(devices.track, [](int call) { return call == 20 || call == 40 || call == 41; });
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = *calibration;
    setup.length_s = 240.0;
    Guiding guiding(setup);
    RunnerControl control;
    const auto done = runProcedure(guiding, devices, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    int told = 0;
    for (const RunRow& r : guiding.run().rows)
        told += eventWords(r.events).find("no frame: The download broke off.") != std::string::npos;
    QCOMPARE(told, 3);
    QVERIFY(guiding.run().rows.back().t_s > 230.0);
    QVERIFY(!guiding.trouble());
    // And the table with these words reads back.
    QVERIFY(writeRunTable(in("run.ecsv"), guiding.run()).has_value());
    QCOMPARE(readRunTable(in("run.ecsv"))->rows.size(), guiding.run().rows.size());
}

void TrustTest::lostMountLinkStopsCorrections() {
    SimulatedNight probe(demoScenario(), sharedIndex());
    Devices before = quick(probe);
    const auto calibration = calibrationAt(probe, before, nearEquator);
    QVERIFY(calibration.has_value());
    SimulatedNight night(faulty(FaultKind::mountLink, 200.0, 40.0), sharedIndex());
    Devices devices = quick(night);
    RunnerControl control;
    Slew slew(night.scenario().rig, nearEquator, Text::say(""));
    QVERIFY(runProcedure(slew, devices, control).has_value());
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = *calibration;
    setup.length_s = 400.0;
    Guiding guiding(setup);
    RunnerHooks hooks;
    int mostInARow = 0; // as whoever looks on is told meanwhile
    hooks.seen = [&](Procedure&) { mostInARow = std::max(mostInARow, guiding.failedPulses()); };
    const auto done = runProcedure(guiding, devices, control, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    int failed = 0;
    for (const RunRow& r : guiding.run().rows) {
        const double at = guiding.run().meta.start + r.t_s - night.scenario().start;
        const bool away = r.events.has(Happening::pulseFailed);
        failed += away;
        if (away) // a pulse that was not taken stands as none
            QVERIFY(r.pulseRa_ms == 0.0 && r.pulseDec_ms == 0.0 && at > 195.0 && at < 241.0);
    }
    QVERIFY(failed > 5);
    QCOMPARE(mostInARow, failed);
    QCOMPARE(guiding.failedPulses(), 0);
    // It comes back by itself.
    QVERIFY(std::abs(guiding.run().rows.back().dra_arcsec) < 3.0);
}

void TrustTest::deviceThatStaysAwayEndsTheRun() {
    SimulatedNight probe(demoScenario(), sharedIndex());
    Devices before = quick(probe);
    const auto calibration = calibrationAt(probe, before, nearEquator);
    SimulatedNight night(faulty(FaultKind::cameraLink, 120.0, 5000.0), sharedIndex());
    Devices devices = quick(night);
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = *calibration;
    Guiding guiding(setup);
    RunnerControl control;
    const auto done = runProcedure(guiding, devices, control);
    QVERIFY(!done);
    QVERIFY2(done.error().why.english().find("It failed 8 times within 1 min") != std::string::npos,
             done.error().text().c_str());
    QVERIFY(!guiding.run().rows.empty()); // what was recorded is kept
}

void TrustTest::everyWatchingProcedureIsPatient_data() {
    QTest::addColumn<int>("which");
    QTest::newRow("guiding") << 0;
    QTest::newRow("free run") << 1;
    QTest::newRow("rates") << 2;
    QTest::newRow("backlash") << 3;
}

void TrustTest::everyWatchingProcedureIsPatient() {
    // Every fifth command to camera and mount fails once.
    QFETCH(int, which);
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = quick(night);
    const auto calibration = calibrationAt(night, devices, nearEquator);
    QVERIFY(calibration.has_value());
    int calls = 0;
    devices.track = brokenOff(devices.track, [&](int call) {
        calls = call;
        return call % 5 == 0;
    });
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = *calibration;
    setup.corrections = which == 0;
    setup.length_s = 200.0;
    std::unique_ptr<Procedure> procedure;
    if (which < 2)
        procedure = std::make_unique<Guiding>(setup);
    else if (which == 2)
        procedure = std::make_unique<CalibrationRun>(CalibrationRunSetup{setup.rig});
    else
        procedure = std::make_unique<BacklashTest>(BacklashSetup{setup.rig, *calibration});
    RunnerControl control;
    const auto done = runProcedure(*procedure, devices, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(calls > 20);
    if (which == 2)
        QVERIFY(static_cast<CalibrationRun&>(*procedure).result()->verdict != CalibrationVerdict::bad);
}

void TrustTest::haltStopsTrackingToo() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = quick(night);
    QVERIFY(night.mount().setTracking(true).has_value());
    QVERIFY(night.mount().halt().has_value());
    QVERIFY(!night.mount().state()->tracking);
    const auto before = night.mount().state()->pointing.hourAngle;
    const StopFlag never{false};
    night.clock().sleep(60.0, never);
    // Standing still the mount keeps its hour angle.
    QVERIFY(std::abs((night.mount().state()->pointing.hourAngle - before).arcsec()) < 1.0);
}

void TrustTest::unconfirmedHaltIsTold() {
    SimulatedNight night(faulty(FaultKind::mountLink, 0.0, 100.0), sharedIndex());
    const auto done = night.mount().halt();
    QVERIFY(!done && done.error().transient);
    QVERIFY(!night.mount().state()); // nor does it tell where it is
    const StopFlag never{false};
    night.clock().sleep(200.0, never);
    const auto back = night.mount().state();
    QVERIFY(back && back->tracking);
}

void TrustTest::rigsKeepTheirIdentity() {
    RigLibrary library(in("rigs"));
    Rig rig = demoScenario().rig;
    QCOMPARE(rig.id, std::string("name:") + rig.name); // a file from before there were identities
    rig.id = newRigId();
    rig.mount.guideRateRa = 0.625;
    QVERIFY(library.keep(rig).has_value());
    rig.name = "Renamed";
    QVERIFY(library.keep(rig).has_value());
    const auto list = library.list();
    QCOMPARE(list.size(), size_t(1));
    QCOMPARE(list.front().name, std::string("Renamed"));
    QCOMPARE(library.read(rig.id)->mount.guideRateRa, 0.625);
    QVERIFY(newRigId() != newRigId());
    std::ofstream(in("rigs") / "broken.json") << "{";
    QCOMPARE(library.list().size(), size_t(1));
    QCOMPARE(library.problems().size(), size_t(1));
    QVERIFY(library.remove(rig.id).has_value());
    QVERIFY(library.list().empty());
}

void TrustTest::eveningComesBack() {
    Evening e;
    e.rig = demoScenario().rig;
    e.rig->name = "Half edited";
    e.targetName = "M 31";
    e.target = Equatorial{Angle::fromDeg(10.68), Angle::fromDeg(41.27)};
    e.settings[e.rig->id] = {{"gain-ra", 0.37, "yours", "because"}};
    e.settings["another"] = {{"gain-ra", 0.5, "yours", ""}};
    e.seriesPlan["long"] = {{"exposure", 120.0}};
    e.station = "Pole";
    e.theme = "Ember";
    e.findings = false;
    e.decReverses = {{"one", true}, {"two", false}};
    e.wantedLight_h = {{"M 31", 12.5}};
    e.marks["one"] = {{Instant{1.79e9}, "worm greased"}};
    QVERIFY(writeEvening(in("evening.json"), e).has_value());
    const auto back = readEvening(in("evening.json"));
    QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
    QCOMPARE(back->rig->name, std::string("Half edited"));
    QCOMPARE(back->settings.at(e.rig->id).front().value, 0.37);
    QCOMPARE(back->settings.at("another").front().value, 0.5);
    QVERIFY(back->seriesPlan == e.seriesPlan);
    QVERIFY(std::abs(back->target->ra.deg() - 10.68) < 1e-9);
    QVERIFY(back->station == "Pole" && back->theme == "Ember" && !back->findings);
    QVERIFY(back->decReverses == e.decReverses);
    QVERIFY(back->wantedLight_h == e.wantedLight_h);
    QCOMPARE(back->marks.at("one").size(), size_t{1});
    QCOMPARE(back->marks.at("one").front().words, std::string("worm greased"));
    QCOMPARE(back->marks.at("one").front().day, Instant{1.79e9});
    std::ofstream(in("evening.json")) << "{\"format\": \"nordstjerna-evening 1\", \"settings\": 7}";
    QVERIFY(!readEvening(in("evening.json")));
}

// Earlier versions kept the settings, the plan and the centring of the last rig alone: they are that rig's.
void TrustTest::eveningOfAnEarlierVersion() {
    nlohmann::json rig = rigToJson(demoScenario().rig);
    rig.erase("optics");
    rig["mount"].erase("id");
    rig["mount"].erase("name");
    rig["site"].erase("id");
    rig["id"] = "mine";
    rig["mount"].erase("encoder_ra");
    rig["mount"].erase("encoder_dec");
    rig["mount"]["encoders"] = true;
    std::ofstream(in("evening.json"))
        << nlohmann::json{{"format", "nordstjerna-evening 1"},
                          {"rig", rig},
                          {"settings", {{{"id", "gain-dec"}, {"value", 0.4}, {"origin", "yours"}}}},
                          {"series_plan", {{"exposure", 90.0}}},
                          {"centring", {{"tolerance_arcsec", 20.0}}}};
    const auto e = readEvening(in("evening.json"));
    QVERIFY2(e.has_value(), e ? "" : e.error().text().c_str());
    QCOMPARE(e->settings.at("mine").front().value, 0.4);
    QCOMPARE(e->seriesPlan.at("mine").at("exposure"), 90.0);
    QCOMPARE(e->centring.at("mine").at("tolerance_arcsec"), 20.0);
    // Its parts have the identity that what was learnt is kept under.
    QVERIFY(e->rig->mount.id == "mine" && e->rig->opticsId == "mine" && e->rig->siteId == "mine");
    QVERIFY(e->rig->mount.encoderRa && e->rig->mount.encoderDec);
}

// Parts are kept by themselves: what is changed of a mount is so in every rig that it is part of.
void TrustTest::partsAreKeptByThemselves() {
    RigDrawers drawers(in("data"));
    Rig rig = demoScenario().rig;
    QVERIFY(drawers.keep(rig).has_value());
    for (const RigPart part : rigParts) {
        QCOMPARE(drawers.list(part).size(), size_t{1});
        QCOMPARE(drawers.list(part).front().id, partId(rig, part));
        QCOMPARE(drawers.list(part).front().name, partName(rig, part));
    }
    Rig other = rig;
    setPartIdentity(other, RigPart::optics, "long", "2000 mm");
    other.imagingOptics.focal_mm = 2000.0;
    QVERIFY(other.id != rig.id);
    QCOMPARE(other.name, "2000 mm on " + rig.mount.name);
    other.mount.wormPeriod_s = 433.5;
    QVERIFY(drawers.keep(other).has_value());
    QCOMPARE(drawers.list(RigPart::optics).size(), size_t{2});
    QCOMPARE(drawers.list(RigPart::mount).size(), size_t{1});
    drawers.refresh(rig);
    QCOMPARE(rig.mount.wormPeriod_s, 433.5); // the mount's
    QCOMPARE(rig.imagingOptics.focal_mm, 610.0);
    QVERIFY(drawers.take(RigPart::optics, "long", rig).has_value());
    QCOMPARE(rigToJson(rig).dump(), rigToJson(other).dump());
    QVERIFY(!drawers.take(RigPart::site, "nowhere", rig));
    QCOMPARE(rig.siteId, other.siteId);
    // What cannot be read is kept aside, not written over.
    const auto file = filesIn(in("data") / "mounts", ".json").front();
    std::ofstream(file) << R"({"format": "nordstjerna-mount 9", "id": "from tomorrow"})";
    QVERIFY(drawers.list(RigPart::mount).empty());
    QVERIFY(drawers.keep(rig).has_value());
    QCOMPARE(filesIn(in("data") / "mounts", ".json").size(), size_t{2});
    QVERIFY(drawers.remove(RigPart::optics, "long").has_value());
    QCOMPARE(drawers.list(RigPart::optics).size(), size_t{1});
}

void TrustTest::hostileFilesAreProblems_data() {
    QTest::addColumn<QByteArray>("content");
    QTest::newRow("deep arrays") << QByteArray(200000, '[');
    QTest::newRow("deep objects") << QByteArray("{\"a\":").repeated(100000);
    QTest::newRow("closed deep arrays") << QByteArray(100000, '[') + QByteArray(100000, ']');
    QTest::newRow("no text") << QByteArray("\xff\xfe\x00\x01\x80\x80", 6);
    QTest::newRow("empty") << QByteArray();
    QTest::newRow("text of broken UTF-8")
        << QByteArray("{\"format\": \"nordstjerna-rig 1\", \"name\": \"\xc3\x28\"}");
    QTest::newRow("deep header") << QByteArray("# %ECSV 1.0\n# ---\n# meta: ") + QByteArray(100000, '[') +
                                        "\nt dra ddec\n";
}

void TrustTest::hostileFilesAreProblems() {
    QFETCH(QByteArray, content);
    std::ofstream(in("x.json"), std::ios::binary).write(content.data(), content.size());
    for (const std::filesystem::path& path : {in("x.json"), std::filesystem::path(dir_->path().toStdString()),
                                              std::filesystem::path("/dev/zero"), in("absent")}) {
        QVERIFY(!readRig(path));
        QVERIFY(!readScenario(path));
        QVERIFY(!readRunTable(path));
        QVERIFY(!readFits(path));
        QVERIFY(!readEvening(path));
    }
    // A header of 60 000 × 60 000 in a file of a few kilobytes.
    std::string fits;
    for (const char* card : {"SIMPLE  =                    T", "BITPIX  =                   16",
                             "NAXIS   =                    2", "NAXIS1  =                60000",
                             "NAXIS2  =                60000", "END"}) {
        fits += card;
        fits.resize((fits.size() + 79) / 80 * 80, ' ');
    }
    fits.resize(2880 * 3, ' ');
    std::ofstream(in("big.fits"), std::ios::binary) << fits;
    const auto big = readFits(in("big.fits"));
    QVERIFY(!big && big.error().what.english().find("header") != std::string::npos);
    std::ifstream demo(SOURCE_DIR "/resources/demo/night.json");
    std::string scenario((std::istreambuf_iterator<char>(demo)), {});
    scenario.replace(scenario.find("\"hot_pixels\": 120"), 17, "\"hot_pixels\": 2000000000");
    std::filesystem::copy_file(SOURCE_DIR "/resources/demo/skerry-610.json", in("skerry-610.json"));
    std::ofstream(in("night.json")) << scenario;
    QVERIFY(!readScenario(in("night.json")));
}

void TrustTest::logOfEarlierVersionMovesUp() {
    // As version 1 made it, with rates logged by the rig's name.
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrationAt(night, quick(night), nearEquator);
    QVERIFY(calibration.has_value());
    {
        auto log = NightLog::open(in("log.sqlite"));
        Rig old;
        old.id = "name:Old rig";
        old.name = "Old rig";
        QVERIFY(log->addCalibration({1000.0}, old, *calibration).has_value());
    }
    QCOMPARE(NightLog::open(in("log.sqlite"))->calibrationOf("name:Old rig")->size(), size_t(1));
}

void TrustTest::twoInstancesLogTogether() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrationAt(night, quick(night), nearEquator);
    QVERIFY(calibration.has_value());
    constexpr int instances = 6;
    constexpr int each = 8;
    Rig rig;
    rig.id = "shared";
    rig.name = "Shared";
    std::vector<std::thread> threads;
    std::atomic<int> failures{0};
    for (int k = 0; k < instances; ++k)
        threads.emplace_back([&, k] {
            WriteQueue queue;
            for (int i = 0; i < each; ++i)
                queue.post([&, k, i]() -> Expected<void> {
                    auto log = NightLog::open(in("log.sqlite"));
                    if (!log)
                        return tl::unexpected(log.error());
                    return log->addCalibration({1000.0 * k + i}, rig, *calibration);
                });
            failures += !queue.flush(60.0);
        });
    for (auto& t : threads)
        t.join();
    QCOMPARE(failures.load(), 0);
    auto log = NightLog::open(in("log.sqlite"));
    QCOMPARE(log->calibrationOf("shared", 1000)->size(),
             size_t(instances * each)); // nothing dropped, nothing twice
}

void TrustTest::queueTriesAgain() {
    WriteQueue queue;
    int tries = 0;
    std::vector<std::string> done;
    queue.post([&]() -> Expected<void> {
        if (++tries < 3)
            return nordstjerna::problem(Text::say("locked"));
        done.push_back("first");
        return {};
    });
    queue.post([&]() -> Expected<void> {
        done.push_back("second");
        return {};
    });
    QVERIFY(queue.flush(60.0));
    QCOMPARE(tries, 3);
    QVERIFY((done == std::vector<std::string>{"first", "second"})); // in order
}

void TrustTest::whatFailsKeepsNothingElseBack() {
    // A log that stays locked must not keep the evening from the disk, nor lose its own order.
    WriteQueue queue;
    bool evening = false;
    std::vector<std::string> log;
    for (const char* entry : {"first", "second"})
        queue.post([&, entry]() -> Expected<void> {
            if (!evening)
                return nordstjerna::problem(Text::say("locked"));
            log.push_back(entry);
            return {};
        });
    queue.post(
        [&]() -> Expected<void> {
            evening = true;
            return {};
        },
        {}, "evening");
    QVERIFY(queue.flush(60.0));
    QVERIFY((log == std::vector<std::string>{"first", "second"}));
}

namespace {
LogEntry noteEntry(int minute) {
    LogEntry e;
    e.kind = EntryKind::focus;
    e.started = *parseInstant("2026-10-14T20:00:00") + 60.0 * minute;
    e.ended = e.started;
    e.id = newEntryId(e.kind, e.started);
    e.rigName = "Skerry 610";
    e.rigId = "skerry";
    return e;
}
} // namespace

// Held by another program, or on a full disk: each try tells why, the record beside the log is there at once
// where there is room for it, and all stands in the log, once and in order, when the trouble is over.
void TrustTest::logThatTakesNothing() {
    const std::filesystem::path folder = in("data");
    QVERIFY(keepEntry(folder, noteEntry(0)));
    std::vector<std::string> wanted;
    const auto written = [&](const std::function<void()>& begin, const std::function<void()>& end) {
        std::atomic<int> failures{0};
        std::string why;
        WriteQueue queue;
        begin();
        for (int k = 1; k <= 2; ++k) {
            const LogEntry e = noteEntry(static_cast<int>(wanted.size()) + 1);
            wanted.push_back(e.id);
            queue.post([folder, e] { return keepEntry(folder, e); },
                       [&](const Expected<void>& done) {
                           if (!done && failures++ == 0)
                               why = done.error().text();
                       });
        }
        while (failures == 0)
            std::this_thread::yield();
        end();
        return queue.flush(120.0) ? why : std::string("never written");
    };
    sqlite3* other = nullptr;
    const std::string held = written(
        [&] {
            sqlite3_open(nightLogPath(folder).c_str(), &other);
            sqlite3_exec(other, "BEGIN IMMEDIATE;", nullptr, nullptr, nullptr);
        },
        [&] {
            QVERIFY(std::filesystem::exists(folder / "records" / (wanted.front() + ".json")));
            sqlite3_exec(other, "ROLLBACK;", nullptr, nullptr, nullptr);
        });
    sqlite3_close(other);
    QVERIFY2(held.find("Another program holds it") != std::string::npos, held.c_str());
    std::optional<SmallDisk> disk;
    const std::string full = written([&] { disk.emplace(4096); }, [&] { disk.reset(); });
    QVERIFY2(full.find("disk is full") != std::string::npos, full.c_str());
    const auto log = NightLog::open(nightLogPath(folder));
    QVERIFY(log);
    const auto all = log->find({});
    QCOMPARE(all->size(), wanted.size() + 1);
    for (size_t i = 0; i < wanted.size(); ++i)
        QCOMPARE((*all)[i + 1].id, wanted[i]);
    QVERIFY(log->check());
}

void TrustTest::rigsOfForeignNamesShareNoFile() {
    RigLibrary library(in("rigs"));
    const std::vector<std::string> names{"Ø", "Å", "A B", "A_B", "A-B"};
    for (const std::string& name : names) {
        Rig rig = demoScenario().rig;
        rig.name = name;
        rig.id = "name:" + name;
        QVERIFY(library.keep(rig).has_value());
    }
    QCOMPARE(library.list().size(), names.size());
    for (const std::string& name : names)
        QCOMPARE(library.read("name:" + name)->name, name);
    // One that a person put there under a name of their own is found and removed as well.
    std::filesystem::rename(in("rigs") / "name_3aA-B.json", in("rigs") / "from a friend.json");
    QCOMPARE(library.read("name:A-B")->name, std::string("A-B"));
    QVERIFY(library.keep(*library.read("name:A-B")).has_value());
    QCOMPARE(library.list().size(), names.size());
    QVERIFY(library.remove("name:A-B").has_value());
    QCOMPARE(library.list().size(), names.size() - 1);
    QVERIFY(!library.read("name:A-B").has_value());
}

NORDSTJERNA_TEST(TrustTest)
#include "trust_test.moc"
