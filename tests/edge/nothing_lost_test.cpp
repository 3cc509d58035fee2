// What was measured is on disk whole, whoever else writes there, however slow or full the disk is.

#include <sys/stat.h>

#include <QTemporaryDir>
#include <QtTest>
#include <condition_variable>
#include <fstream>
#include <thread>

#include "core/base/random.h"
#include "core/motion/run_event_words.h"
#include "edge/store/append_file.h"
#include "edge/store/entry_json.h"
#include "edge/store/evening_file.h"
#include "edge/store/file_names.h"
#include "edge/store/fits.h"
#include "edge/store/folder_owner.h"
#include "edge/store/night_book.h"
#include "edge/store/rig_file.h"
#include "edge/store/rig_library.h"
#include "edge/store/run_export.h"
#include "edge/store/run_recorder.h"
#include "edge/store/run_table.h"
#include "edge/store/series_keeper.h"
#include "edge/store/series_recorder.h"
#include "edge/store/sql.h"
#include "edge/store/write_queue.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;
namespace fs = std::filesystem;

class NothingLostTest : public QObject {
    Q_OBJECT
private slots:
    void framesAreWholeOrNotThere();
    void leftoversOfAKillAreTidied();
    void seriesIsOnDiskFrameByFrame();
    void framesLaterThanTheirSeries();
    void rowsDoNotWaitForTheDisk();
    void clockSetBackInATable();
    void whatCannotSucceedIsNotRetried();
    void identitiesStayInTheirFolder();
    void cellsAreNoFormulas();
    void namesOfFiles();
    void rigOfANewerProgramIsKept();
    void oneWriterOfAnEvening();
    void logIsReadBesideAWriter();
    void sidesAsOtherSoftwareMeansThem();

private:
    fs::path in(const std::string& name) const { return fs::path(dir_.path().toStdString()) / name; }
    QTemporaryDir dir_;
};

namespace {
std::string textOf(const fs::path& path) {
    std::ifstream file(path);
    return {std::istreambuf_iterator<char>(file), {}};
}

Run smallRun(size_t rows) {
    Run run;
    run.meta.kind = RunKind::guided;
    run.meta.guideScale_arcsec_px = 2.5;
    run.meta.start = *parseInstant("2026-10-14T20:00:00");
    Random random(3);
    for (size_t i = 0; i < rows; ++i) {
        RunRow row;
        row.t_s = 2.5 * static_cast<double>(i);
        row.dra_arcsec = random.gaussian();
        row.ddec_arcsec = random.gaussian();
        run.rows.push_back(row);
    }
    return run;
}
} // namespace

// Whoever looks while a frame is being written sees all of it or nothing.
void NothingLostTest::framesAreWholeOrNotThere() {
    Frame frame(1500, 1000);
    frame.info.exposure_s = 60.0;
    for (size_t i = 0; i < frame.pixels.size(); ++i)
        frame.pixels[i] = static_cast<float>(i % 60000);
    QVERIFY(writeFits(in("whole.fits"), frame).has_value());
    const auto whole = fs::file_size(in("whole.fits"));
    std::atomic<bool> over{false}, partial{false};
    std::thread looker([&] {
        while (!over) {
            std::error_code error;
            for (int k = 0; k < 10; ++k)
                if (const auto size = fs::file_size(in("f" + std::to_string(k) + ".fits"), error);
                    !error && size != whole)
                    partial = true;
        }
    });
    for (int k = 0; k < 10; ++k)
        QVERIFY(writeFits(in("f" + std::to_string(k) + ".fits"), frame).has_value());
    over = true;
    looker.join();
    QVERIFY(!partial);
    // Never over another, and nothing is left beside.
    QVERIFY(!writeFits(in("f1.fits"), frame));
    for (const auto& path : filesIn(in(""), ".part"))
        QFAIL(path.c_str());
    // A folder that takes nothing: no half file under any name.
    std::ofstream(in("no-folder")) << "a file";
    QVERIFY(!writeFits(in("no-folder/x.fits"), frame));
}

void NothingLostTest::leftoversOfAKillAreTidied() {
    const auto folder = in("tidy");
    fs::create_directories(folder);
    const auto old = besideOf(folder / "frame.fits"), fresh = besideOf(folder / "other.fits");
    for (const auto& path : {old, fresh})
        std::ofstream(path) << "half";
    fs::last_write_time(old, fs::file_time_type::clock::now() - std::chrono::hours(3));
    tidyBesides(folder);
    QVERIFY(!fs::exists(old));
    QVERIFY(fs::exists(fresh)); // another program may be at it
}

namespace {
// A series without a sky: frames as the camera hands them over.
struct FrameByFrame {
    SeriesNight n{seriesScenario()};
    SeriesSetup setup;
    FrameByFrame() {
        n.waitUntil("2026-10-14T20:30:00");
        if (!n.calibrate())
            qFatal("no rates");
        setup = n.setup(60.0);
        setup.ends.frames = 4;
        // Something to write.
        n.devices.image = [image = n.devices.image](const ImageStep& step, const StopFlag& halt) {
            auto taken = image(step, halt);
            if (taken && !taken->frame) {
                auto frame = std::make_shared<Frame>(64, 48);
                frame->info.start = taken->start;
                frame->info.exposure_s = taken->exposure_s;
                taken->frame = frame;
            }
            return taken;
        };
    }
};
} // namespace

void NothingLostTest::seriesIsOnDiskFrameByFrame() {
    FrameByFrame f;
    const auto folder = in("night");
    LogEntry entry;
    entry.kind = EntryKind::series;
    entry.id = "20261014T203000-series-0123456789abcdef";
    entry.started = f.n.night.clock().now();
    entry.night = entry.started;
    entry.rigId = "rig";
    entry.file = "runs/series.ecsv";
    fs::create_directories(folder / "runs");
    SeriesKeeper keeper(folder / "frames");
    SeriesRecorder recorder(folder / entry.file);
    Series series(f.setup);
    RunnerHooks hooks;
    size_t looked = 0;
    hooks.seen = [&](Procedure&) {
        keeper.keep(series);
        if (recorder.take(series, keeper.folder()))
            QVERIFY(recorder.write().has_value());
        const size_t frames = series.frames().size();
        if (frames == looked || frames == 0)
            return;
        looked = frames;
        // As a power cut would leave it now.
        const auto table = readSeriesTable(folder / entry.file);
        QVERIFY2(table.has_value(), table ? "" : table.error().text().c_str());
        QCOMPARE(table->frames.size(), frames);
        const LogEntry closed = closedFromTable(folder, entry);
        QVERIFY2(closed.how.find("all frames until then are there") != std::string::npos, closed.how.c_str());
        QVERIFY(closed.figure("frames") && closed.figure("frames")->value == static_cast<double>(frames));
    };
    QVERIFY(f.n.run(series, hooks).has_value());
    QCOMPARE(looked, size_t(4));
    QVERIFY(keeper.finish(60.0));
    QVERIFY(recorder.finish(f.setup, series.frames(), {}, keeper.files()).has_value());
    const auto table = readSeriesTable(folder / entry.file);
    for (const SeriesFrame& frame : table->frames) {
        QVERIFY(fs::exists(frame.file));
        QCOMPARE(frame.side, std::string("east"));
    }
}

// No room while the series ran: its frames are kept, and written when another folder is named.
void NothingLostTest::framesLaterThanTheirSeries() {
    FrameByFrame f;
    f.setup.ends.frames = 1;
    SeriesKeeper keeper("/proc/no-such-place");
    Series series(f.setup);
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        keeper.keep(series);
        if (series.frames().size() == 1)
            f.n.control.stop = true;
    };
    static_cast<void>(f.n.run(series, hooks));
    QCOMPARE(series.frames().size(), size_t(1));
    QTRY_VERIFY_WITH_TIMEOUT(keeper.trouble().has_value(), 60000);
    QCOMPARE(keeper.waiting(), 1);
    QCOMPARE(keeper.saved(), 0);
    keeper.moveTo(in("elsewhere"));
    QVERIFY(keeper.finish(60.0));
    QCOMPARE(keeper.saved(), 1);
    QVERIFY(fs::exists(keeper.files().at(1)));
    static_cast<void>(f.n.guideRunner.stop(f.n.control.halt));
}

// A disk that takes its time holds up whoever writes, and not whoever measures.
void NothingLostTest::rowsDoNotWaitForTheDisk() {
    WriteQueue queue;
    std::mutex lock;
    std::condition_variable freed;
    bool stuck = true;
    queue.post([&]() -> Expected<void> {
        std::unique_lock wait(lock);
        freed.wait(wait, [&] { return !stuck; });
        return {};
    });
    const Run whole = smallRun(400);
    RunRecorder recorder(in("slow.ecsv"));
    Run growing;
    growing.meta = whole.meta;
    for (const RunRow& row : whole.rows) {
        growing.rows.push_back(row);
        QVERIFY(recorder.take(growing));
        queue.post([&recorder] { return recorder.write(); }, {}, "run");
    }
    QCOMPARE(recorder.state().rows, size_t(0));
    QCOMPARE(recorder.state().waiting, size_t(400));
    {
        const std::scoped_lock guard(lock);
        stuck = false;
    }
    freed.notify_all();
    QVERIFY(queue.flush(60.0));
    QCOMPARE(readRunTable(in("slow.ecsv"))->rows.size(), size_t(400));
}

void NothingLostTest::clockSetBackInATable() {
    Run run = smallRun(200);
    for (size_t i = 120; i < run.rows.size(); ++i)
        run.rows[i].t_s -= 40.0; // as earlier versions wrote it
    QVERIFY(writeRunTable(in("stepped.ecsv"), run).has_value());
    const auto read = readRunTable(in("stepped.ecsv"));
    QVERIFY2(read.has_value(), read ? "" : read.error().text().c_str());
    for (size_t i = 1; i < read->rows.size(); ++i)
        QVERIFY(std::abs(read->rows[i].t_s - read->rows[i - 1].t_s - 2.5) < 1e-6);
    QVERIFY(eventWords(read->rows[120].events).find("clock set back by") != std::string::npos);
    // A table that is simply out of order is not mended.
    std::reverse(run.rows.begin(), run.rows.end());
    QVERIFY(writeRunTable(in("reversed.ecsv"), run).has_value());
    QVERIFY(!readRunTable(in("reversed.ecsv")));
}

void NothingLostTest::whatCannotSucceedIsNotRetried() {
    WriteQueue queue;
    std::atomic<int> lasting{0}, transient{0}, thrown{0}, told{0};
    queue.post(
        [&]() -> Expected<void> {
            ++lasting;
            Problem p{Text::say("Of a newer version."), "", ""};
            p.lasting = true;
            return tl::unexpected(p);
        },
        [&](const Expected<void>&) { ++told; });
    queue.post([&]() -> Expected<void> {
        ++thrown;
        throw std::runtime_error("unexpected");
    });
    queue.post([&]() -> Expected<void> {
        return ++transient < 3 ? Expected<void>(problem(Text::say("Full."))) : Expected<void>();
    });
    QVERIFY(queue.flush(60.0));
    QCOMPARE(lasting.load(), 1);
    QCOMPARE(thrown.load(), 1);
    QCOMPARE(transient.load(), 3);
    QCOMPARE(told.load(), 1);
    // A log of a newer program is such a case.
    {
        auto log = NightLog::open(in("newer.sqlite"));
        QVERIFY(log.has_value());
    }
    sqlite3* db = nullptr;
    sqlite3_open(in("newer.sqlite").c_str(), &db);
    sqlite3_exec(db, "PRAGMA user_version=99;", nullptr, nullptr, nullptr);
    sqlite3_close(db);
    const auto newer = NightLog::open(in("newer.sqlite"));
    QVERIFY(!newer && newer.error().lasting);
    const auto read = NightLog::openToRead(in("newer.sqlite"));
    QVERIFY(!read && read.error().lasting);
}

void NothingLostTest::identitiesStayInTheirFolder() {
    for (const char* id : {"../../../escaped", "a/b", "", ".hidden", "a\nb", "x\\y"}) {
        LogEntry e;
        e.id = id;
        e.kind = EntryKind::freeRun;
        QVERIFY(!isEntryId(id));
        const auto kept = keepEntry(in("data/deep/folder"), e);
        QVERIFY(!kept && kept.error().lasting);
        QVERIFY(!entryFromJson(entryToJson(e), "foreign"));
    }
    QVERIFY(!isEntryId(std::string(200, 'a')));
    QVERIFY(isEntryId(newEntryId(EntryKind::series, Instant{1.8e9})));
    QVERIFY(!fs::exists(in("escaped.json")));
    // What was lying there already is passed over.
    fs::create_directories(in("foreign/records"));
    LogEntry good;
    good.kind = EntryKind::freeRun;
    good.id = "20261014T200000-free-aa";
    good.started = good.night = Instant{1.8e9};
    auto json = entryToJson(good);
    json["id"] = "../../../escaped";
    std::ofstream(in("foreign/records/evil.json")) << json.dump();
    const auto rebuilt = rebuildNightLog(in("foreign"), [](Instant t) { return t; });
    QVERIFY(rebuilt.has_value());
    QCOMPARE(rebuilt->entries, 0);
    QCOMPARE(rebuilt->leftOut.size(), size_t(1));
}

void NothingLostTest::cellsAreNoFormulas() {
    Run run = smallRun(4);
    run.rows[1].events = eventsFrom("=HYPERLINK(\"http://example.org\")");
    run.rows[2].events = eventsFrom("@x");
    run.rows[3].dra_arcsec = -1.5;
    run.rows[3].worm_turns = 0.25;
    QVERIFY(exportRun(in("cells.csv"), run).has_value());
    const std::string text = textOf(in("cells.csv"));
    QVERIFY(text.find(",=HYP") == std::string::npos && text.find(",\"=HYP") == std::string::npos);
    QVERIFY(text.find("\"'=HYP") != std::string::npos);
    QVERIFY(text.find(",'@x") != std::string::npos);
    QVERIFY(text.find("-1.5") != std::string::npos); // numbers stay numbers
    QVERIFY(text.find("worm_turns") != std::string::npos && text.find("0.25") != std::string::npos);
}

void NothingLostTest::namesOfFiles() {
    const std::string rightToLeft = "NGC\u202E 891";
    QCOMPARE(plainName("NGC 891", "target"), std::string("NGC-891"));
    QCOMPARE(plainName(rightToLeft, "target"), std::string("NGC-891"));
    QCOMPARE(plainName("../../etc/passwd", "target"), std::string("etc-passwd"));
    QCOMPARE(plainName(".hidden", "target"), std::string("hidden"));
    QCOMPARE(plainName("a\nb\tc", "target"), std::string("a-b-c"));
    QCOMPARE(plainName("///", "target"), std::string("target"));
    QVERIFY(plainName(std::string(400, 'x'), "target").size() <= 80);
    QVERIFY(plainName("Sh2-155 α β γ 星雲", "target").find("Sh2-155") == 0);
    SeriesSetup setup;
    setup.targetName = std::string(200, 'y') + "/../" + rightToLeft;
    SeriesFrame frame;
    frame.number = 7;
    const auto path = SeriesKeeper::pathOf("/frames", setup, frame);
    QCOMPARE(path.parent_path().parent_path(), fs::path("/frames"));
    QVERIFY(path.filename().string().size() < 200);
    // Rigs with names of their own for their files.
    RigLibrary library(in("rigs"));
    Rig rig = demoScenario().rig;
    rig.id = std::string(250, 'z') + "/..";
    QVERIFY2(library.keep(rig).has_value(), "a long identity");
    QCOMPARE(library.read(rig.id)->id, rig.id);
}

void NothingLostTest::rigOfANewerProgramIsKept() {
    RigLibrary library(in("newer-rigs"));
    Rig rig = demoScenario().rig;
    rig.id = "mine";
    QVERIFY(library.keep(rig).has_value());
    const auto file = filesIn(in("newer-rigs"), ".json").front();
    std::ofstream(file) << R"({"format": "nordstjerna-rig 9", "name": "from tomorrow"})";
    QVERIFY(library.keep(rig).has_value());
    const auto files = filesIn(in("newer-rigs"), ".json");
    QCOMPARE(files.size(), size_t(2));
    bool kept = false;
    for (const auto& path : files)
        kept |= textOf(path).find("from tomorrow") != std::string::npos;
    QVERIFY(kept);
    QCOMPARE(library.list().size(), size_t(1));
}

void NothingLostTest::oneWriterOfAnEvening() {
    FolderOwner first(in("shared"));
    FolderOwner second(in("shared"));
    QVERIFY(first.owns());
    QVERIFY(!second.owns());
    second.takeOver();
    QVERIFY(!first.owns()); // it looks, and lets go
    QVERIFY(second.owns());
    QVERIFY(!first.owns());
    first.takeOver();
    QVERIFY(!second.owns());
    QVERIFY(first.owns());
    {
        FolderOwner third(in("shared"));
        QVERIFY(!third.owns());
    }
    QVERIFY(first.owns());
}

void NothingLostTest::logIsReadBesideAWriter() {
    const auto path = in("busy.sqlite");
    {
        auto log = NightLog::open(path);
        LogEntry e;
        e.kind = EntryKind::freeRun;
        e.id = "20261014T200000-free-aa";
        e.started = e.night = Instant{1.8e9};
        QVERIFY(log->put(e).has_value());
    }
    // Another program writes and does not come to an end.
    sqlite3* db = nullptr;
    sqlite3_open(path.c_str(), &db);
    QCOMPARE(sqlite3_exec(db, "BEGIN IMMEDIATE; DELETE FROM entries;", nullptr, nullptr, nullptr), SQLITE_OK);
    const auto log = NightLog::openToRead(path);
    QVERIFY2(log.has_value(), log ? "" : log.error().text().c_str());
    QCOMPARE(log->find({})->size(), size_t(1));
    sqlite3_exec(db, "ROLLBACK;", nullptr, nullptr, nullptr);
    sqlite3_close(db);
    // A copy where nothing can be written: the file alone is enough.
    fs::create_directories(in("copy"));
    {
        auto own = NightLog::open(path);
        QVERIFY(own.has_value());
    }
    fs::copy_file(path, in("copy/log.sqlite"));
    fs::permissions(in("copy/log.sqlite"), fs::perms::owner_read);
    fs::permissions(in("copy"), fs::perms::owner_read | fs::perms::owner_exec);
    const auto still = NightLog::openToRead(in("copy/log.sqlite"));
    QVERIFY(still.has_value());
    QCOMPARE(still->find({})->size(), size_t(1));
    fs::permissions(in("copy"), fs::perms::owner_all);
}

void NothingLostTest::sidesAsOtherSoftwareMeansThem() {
    Run run = smallRun(5);
    run.meta.side = "east";
    QVERIFY(writeRunTable(in("side.ecsv"), run).has_value());
    QVERIFY(textOf(in("side.ecsv")).find("pier_side: WEST") != std::string::npos);
    QCOMPARE(readRunTable(in("side.ecsv"))->meta.side, std::string("east"));
    SeriesSetup setup;
    setup.rig = demoScenario().rig;
    std::vector<SeriesFrame> frames(2);
    frames[0].side = "east";
    frames[1].side = "west";
    frames[0].number = 1;
    frames[1].number = 2;
    QVERIFY(writeSeriesTable(in("sides.ecsv"), setup, frames).has_value());
    std::string text = textOf(in("sides.ecsv"));
    QVERIFY(text.find("pier_side") != std::string::npos);
    auto read = readSeriesTable(in("sides.ecsv"));
    QCOMPARE(read->frames[0].side, std::string("east"));
    QCOMPARE(read->frames[1].side, std::string("west"));
    // As earlier versions wrote them.
    for (const auto& [now, then] :
         {std::pair<std::string, std::string>{"pier_side", "side"}, {"WEST", "east"}, {"EAST", "west"}})
        for (size_t i = text.find(now); i != std::string::npos; i = text.find(now, i + then.size()))
            text.replace(i, now.size(), then);
    std::ofstream(in("sides-before.ecsv")) << text;
    read = readSeriesTable(in("sides-before.ecsv"));
    QVERIFY2(read.has_value(), read ? "" : read.error().text().c_str());
    QCOMPARE(read->frames[0].side, std::string("east"));
}

NORDSTJERNA_TEST(NothingLostTest)
#include "nothing_lost_test.moc"
