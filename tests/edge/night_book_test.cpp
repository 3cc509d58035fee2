// The night log as the memory of a rig: entries, search, recovery after any death, making it anew.
#include <sqlite3.h>

#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>
#include <fstream>
#include <map>
#include <set>

#include "core/base/random.h"
#include "core/review/entry_figures.h"
#include "edge/store/entry_json.h"
#include "edge/store/focus_json.h"
#include "edge/store/json_reader.h"
#include "edge/store/night_book.h"
#include "edge/store/progress_log.h"
#include "edge/store/run_table.h"
#include "edge/store/series_table.h"
#include "night_fixture.h"
#include "programs.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;
namespace fs = std::filesystem;

namespace {
constexpr Instant noon{1.79176e9};

LogEntry someEntry(EntryKind kind, double after_s, const std::string& rig = "Skerry") {
    LogEntry e;
    e.kind = kind;
    e.night = noon + 86400.0 * std::floor(after_s / 86400.0);
    e.started = noon + after_s;
    e.ended = e.started + 600.0;
    e.how = "stopped by you";
    e.rigId = "id-" + rig;
    e.rigName = rig;
    e.target = "NGC 891";
    e.id = newEntryId(kind, e.started);
    return e;
}

std::string textOf(const LogEntry& e) {
    return jsonText(entryToJson(e));
}

fs::path pathOf(const QTemporaryDir& dir) {
    return dir.path().toStdString();
}
} // namespace

class NightBookTest : public QObject {
    Q_OBJECT
private slots:
    void entriesComeBack();
    void foundByWords();
    void nightsAtAGlance();
    void figuresOverNights();
    void olderLogsAreBroughtUpToDate();
    void identitiesAreDrawnOnce();
    void focusRunsComeBack();
    void killedAtAnyMoment();
    void othersAreLeftAlone();
    void anewFromRecordsAndTables();
    void damagedLogsAreMadeAnew();
    void oddRecords();
    void manyEntries();
    void seriesTablesComeBack();
    void targetsOverTheNights();
    void mountsOverTheNights();
};

void NightBookTest::entriesComeBack() {
    QTemporaryDir dir;
    LogEntry e = someEntry(EntryKind::guidedRun, 3600.0);
    e.file = "runs/a \"b\" – ″.ecsv";
    e.figures = {{"total_rms_arcsec", {0.52, 0.02}}, {"bad", {std::nan(""), 0.0}}};
    e.findings = {{"air", Weight::know, Text::say("The air limits the rest."), std::string("0.41 of 0.52″"),
                   Text::say("Nothing.")}};
    e.changes = {{e.started + 60.0, "gain-ra", 0.5, 0.35, "yours", "because"}};
    e.note = "clouds from the west';DROP TABLE entries";
    e.rig = demoScenario().rig;
    e.rigId = e.rig->id;
    QVERIFY(keepEntry(pathOf(dir), e).has_value());
    const auto log = NightLog::open(nightLogPath(pathOf(dir)));
    QVERIFY(log.has_value());
    const auto back = log->entry(e.id);
    QVERIFY(back && *back);
    LogEntry wanted = e;
    wanted.rig.reset();        // in a table of its own
    wanted.figures.pop_back(); // what is no number is not kept
    QCOMPARE(textOf(**back), textOf(wanted));
    const auto rig = log->rigAt(e.rigId, e.started + 1e5);
    QVERIFY(rig && *rig);
    QCOMPARE((*rig)->name, e.rig->name);
    QVERIFY(!*log->rigAt(e.rigId, e.started + -1.0));
    QVERIFY(!*log->entry("nobody"));
    // The same again takes its place; nothing doubles.
    e.how = "the star was lost";
    e.figures.resize(1);
    QVERIFY(keepEntry(pathOf(dir), e).has_value());
    QCOMPARE(log->find({})->size(), size_t{1});
    QCOMPARE(log->find({})->front().how, std::string("the star was lost"));
    QCOMPARE(log->figureOver("total_rms_arcsec", "")->size(), size_t{1});
    // The record beside the log says the same.
    const auto record = readJsonFile(pathOf(dir) / "records" / (e.id + ".json"));
    QVERIFY(record.has_value());
    QCOMPARE(textOf(*entryFromJson(*record, "")), textOf(e));
}

void NightBookTest::foundByWords() {
    QTemporaryDir dir;
    LogEntry a = someEntry(EntryKind::guidedRun, 100.0);
    a.note = "Gusts of 100% from the WEST";
    LogEntry b = someEntry(EntryKind::pole, 200.0, "Pillar_2");
    b.target.clear();
    LogEntry c = someEntry(EntryKind::freeRun, 90000.0);
    c.findings = {{"x", Weight::act, Text::say("The worm period is another one."), "", ""}};
    for (const LogEntry* e : {&a, &b, &c})
        QVERIFY(keepEntry(pathOf(dir), *e).has_value());
    const auto log = NightLog::open(nightLogPath(pathOf(dir)));
    const auto found = [&](EntrySearch s) {
        std::string ids;
        const auto list = log->find(s);
        for (const LogEntry& e : *list)
            ids += e.id == a.id ? 'a' : e.id == b.id ? 'b' : 'c';
        return ids;
    };
    const auto words = [](const char* text) {
        EntrySearch s;
        s.words = text;
        return s;
    };
    QCOMPARE(found(words("west gusts")), std::string("a"));
    QCOMPARE(found(words("100%")), std::string("a")); // and not what merely begins so
    QCOMPARE(found(words("pillar_2")), std::string("b"));
    QCOMPARE(found(words("pillarx2")), std::string());
    QCOMPARE(found(words("worm")), std::string("c"));
    QCOMPARE(found(words("ngc")), std::string("ca")); // the newest night first
    QCOMPARE(found(words("' OR 1=1 --")), std::string());
    EntrySearch s;
    s.kind = EntryKind::pole;
    QCOMPARE(found(s), std::string("b"));
    s = {};
    s.rigId = "id-Skerry";
    QCOMPARE(found(s), std::string("ca"));
    s.night = noon;
    QCOMPARE(found(s), std::string("a"));
}

void NightBookTest::nightsAtAGlance() {
    QTemporaryDir dir;
    const auto put = [&](EntryKind kind, double after_s, const char* name, double value) {
        LogEntry e = someEntry(kind, after_s);
        e.figures = {{name, {value, 0.01}}};
        QVERIFY(keepEntry(pathOf(dir), e).has_value());
    };
    put(EntryKind::guidedRun, 1000.0, "total_rms_arcsec", 0.8);
    put(EntryKind::guidedRun, 5000.0, "total_rms_arcsec", 0.5);
    put(EntryKind::series, 6000.0, "frames", 31.0);
    put(EntryKind::guidedRun, 90000.0, "total_rms_arcsec", 1.4);
    const auto log = NightLog::open(nightLogPath(pathOf(dir)));
    const auto nights = log->nights();
    QVERIFY(nights && nights->size() == 2);
    const NightSummary& first = nights->back();
    QCOMPARE(first.entries, 3);
    QCOMPARE(first.frames, 31);
    QCOMPARE(*first.best_arcsec, 0.5);
    QCOMPARE(*first.worst_arcsec, 0.8);
    QCOMPARE(first.spans.size(), size_t{3});
    QVERIFY(first.spans[0].from < first.spans[1].from && first.spans[0].to > first.spans[0].from);
    QVERIFY(nights->front().night > first.night);
}

void NightBookTest::figuresOverNights() {
    QTemporaryDir dir;
    for (int k = 0; k < 5; ++k) {
        LogEntry e = someEntry(EntryKind::backlashTest, 86400.0 * k, k == 3 ? "Other" : "Skerry");
        e.figures = {{"dec_backlash_arcsec", {4.0 + k, 0.3}}};
        if (k == 4)
            e.ended.reset(); // still under way
        QVERIFY(keepEntry(pathOf(dir), e).has_value());
    }
    const auto log = NightLog::open(nightLogPath(pathOf(dir)));
    const auto own = log->figureOver("dec_backlash_arcsec", "id-Skerry");
    QCOMPARE(own->size(), size_t{3});
    QCOMPARE((*own)[2].value.value, 6.0);
    QCOMPARE((*own)[2].value.sigma, 0.3);
    QVERIFY((*own)[0].when < (*own)[1].when);
    QCOMPARE(log->figureOver("dec_backlash_arcsec", "")->size(), size_t{4});
    QCOMPARE(log->figureNames("")->front().second, 4);
    QCOMPARE(log->unclosed()->size(), size_t{1});
}

void NightBookTest::olderLogsAreBroughtUpToDate() {
    QTemporaryDir dir;
    const fs::path path = nightLogPath(pathOf(dir));
    sqlite3* db = nullptr;
    QCOMPARE(sqlite3_open(path.c_str(), &db), SQLITE_OK);
    // As version 2 left it.
    QCOMPARE(
        sqlite3_exec(db,
                     "CREATE TABLE rates (id INTEGER PRIMARY KEY, unix_s REAL NOT NULL, rig TEXT NOT NULL, "
                     "verdict TEXT NOT NULL, ra_px_s REAL NOT NULL, dec_px_s REAL NOT NULL, backlash_ms REAL "
                     "NOT NULL, orthogonality_deg REAL NOT NULL, json TEXT NOT NULL, rig_id TEXT NOT NULL "
                     "DEFAULT ''); INSERT INTO rates VALUES (7, 1.7918e9, 'Skerry', 'good', 3.1, 2.9, 0, 0, "
                     "'{}', 'id-Skerry'); PRAGMA user_version=2;",
                     nullptr, nullptr, nullptr),
        SQLITE_OK);
    sqlite3_close(db);
    {
        const auto log = NightLog::open(path);
        QVERIFY2(log.has_value(), log ? "" : log.error().text().c_str());
        QCOMPARE(log->schemaVersion(), 3);
        const auto all = log->find({});
        QCOMPARE(all->size(), size_t{1});
        QVERIFY(all->front().kind == EntryKind::rates && all->front().rigId == "id-Skerry");
    }
    // The former file lies beside it, as it was.
    QCOMPARE(sqlite3_open_v2((path.string() + ".version-2").c_str(), &db, SQLITE_OPEN_READONLY, nullptr),
             SQLITE_OK);
    int rows = 0;
    QCOMPARE(sqlite3_exec(
                 db, "SELECT * FROM rates",
                 [](void* n, int, char**, char**) {
                     ++*static_cast<int*>(n);
                     return 0;
                 },
                 &rows, nullptr),
             SQLITE_OK);
    QCOMPARE(rows, 1);
    sqlite3_close(db);
}

// Begun in the same second, by however many programs: no two entries are one.
void NightBookTest::identitiesAreDrawnOnce() {
    std::set<std::string> drawn;
    for (int k = 0; k < 100000; ++k)
        QVERIFY2(drawn.insert(newEntryId(EntryKind::guidedRun, noon)).second, std::to_string(k).c_str());
}

void NightBookTest::focusRunsComeBack() {
    FocusResult r;
    r.points = {{11800.0, {6.25, 0.1}, 40, ""},
                {12000.0, {3.5, 0.05}, 61, ""},
                {12100.0, {9.0, 0.5}, 3, Text::say("a cloud")}};
    r.inward = {{12400.0, 12300.0, {5.5, 0.2}}};
    r.curve.best_steps = {12001.5, 2.5};
    r.curve.hfd_px = {3.4, 0.04};
    r.curve.slope_px = {0.02, 0.001};
    r.curve.lopsided = true;
    r.backlash_steps = Measured{88.0, 4.0};
    r.zone_steps = 31.0;
    r.ended_steps = 12002.0;
    const auto back = focusFromJson(focusToJson(r));
    QVERIFY2(back, back ? "" : back.error().text().c_str());
    QCOMPARE(back->points.size(), size_t{3});
    QCOMPARE(back->points[2].leftOut.english(), std::string("a cloud"));
    QCOMPARE(back->points[1].hfd_px.sigma, 0.05);
    QCOMPARE(back->points[1].stars, 61);
    QCOMPARE(back->inward.front().from, 12400.0);
    QCOMPARE(back->curve.at(11900.0), r.curve.at(11900.0));
    QCOMPARE(back->curve.sigmaAt(12000.0), r.curve.sigmaAt(12000.0));
    QVERIFY(back->curve.lopsided && back->backlash_steps->value == 88.0 && back->zone_steps == 31.0);
    QCOMPARE(back->ended_steps, 12002.0);
    // What is none gives a sentence.
    nlohmann::json broken = focusToJson(r);
    broken["points"][1].erase("hfd_px");
    QVERIFY(!focusFromJson(broken));
    broken = focusToJson(r);
    broken["points"] = nlohmann::json::array();
    QVERIFY(!focusFromJson(broken));
    QVERIFY(!focusFromJson(nlohmann::json::parse("[1, 2]")));
}

// A program that writes and is killed, two hundred times: what it called measured is there, the log is sound,
// and every entry ends up closed.
void NightBookTest::killedAtAnyMoment() {
    const int times = thinned ? 10 : 200;
    QTemporaryDir dir;
    Random random(11);
    std::map<std::string, int> measured;
    int recovered = 0;
    for (int k = 0; k < times; ++k) {
        QProcess writer;
        writer.start(nightWriterPath, {dir.path()});
        QVERIFY(writer.waitForStarted(30000));
        // However far it has come by then; the moment does not matter to what must hold.
        const int rows = static_cast<int>(random.uniform(0.0, 90.0));
        QByteArray said;
        while (said.count('\n') < rows && writer.waitForReadyRead(30000))
            said += writer.readAllStandardOutput();
        writer.kill();
        QVERIFY(writer.waitForFinished(30000));
        said += writer.readAllStandardOutput();
        for (const QByteArray& line : said.split('\n'))
            if (const auto parts = line.split(' '); parts.size() == 2)
                measured[parts[0].toStdString()] = parts[1].toInt();
        if (k % 20 == 19 || k + 1 == times) {
            const auto closed = recoverEntries(pathOf(dir));
            QVERIFY2(closed.has_value(), closed ? "" : closed.error().text().c_str());
            recovered += *closed;
        }
    }
    QVERIFY(recovered > times / 4);
    const auto log = NightLog::open(nightLogPath(pathOf(dir)));
    QVERIFY(log.has_value());
    QVERIFY(log->check().has_value());
    QVERIFY(log->unclosed()->empty());
    EntrySearch all;
    all.most = 1000000;
    const auto entries = log->find(all);
    std::map<std::string, LogEntry> known;
    for (const LogEntry& e : *entries)
        known[e.id] = e;
    for (const auto& [id, rows] : measured) {
        QVERIFY2(known.contains(id), id.c_str());
        const auto table = readRunTable(pathOf(dir) / known[id].file);
        QVERIFY2(table && static_cast<int>(table->rows.size()) >= rows, id.c_str());
        QVERIFY(known[id].figure("rows") && known[id].figure("rows")->value >= rows);
    }
    // And all of it can be made anew.
    const auto anew = rebuildNightLog(pathOf(dir), [](Instant) { return noon; });
    QVERIFY2(anew.has_value(), anew ? "" : anew.error().text().c_str());
    for (const Problem& p : anew->leftOut)
        QFAIL(p.text().c_str());
    QCOMPARE(anew->fromTables, 0);
    QCOMPARE(static_cast<size_t>(anew->entries), entries->size());
}

void NightBookTest::othersAreLeftAlone() {
    QTemporaryDir dir;
    auto mark = SessionMark::set(pathOf(dir));
    QVERIFY(mark.has_value());
    LogEntry theirs = someEntry(EntryKind::guidedRun, 100.0);
    theirs.ended.reset();
    theirs.session = mark->name();
    QVERIFY(keepEntry(pathOf(dir), theirs).has_value());
    QCOMPARE(*recoverEntries(pathOf(dir)), 0); // still there
    mark.reset();
    QCOMPARE(*recoverEntries(pathOf(dir)), 1);
    const auto log = NightLog::open(nightLogPath(pathOf(dir)));
    QCOMPARE((*log->entry(theirs.id))->how, std::string("nothing was recorded"));
    // A name that would lead elsewhere is nobody's.
    QVERIFY(!SessionMark::alive(pathOf(dir), "../records"));
}

void NightBookTest::anewFromRecordsAndTables() {
    QTemporaryDir dir;
    fs::create_directories(pathOf(dir) / "runs");
    std::vector<std::string> wanted;
    for (int k = 0; k < 12; ++k) {
        LogEntry e = someEntry(static_cast<EntryKind>(k % entryKinds), 5000.0 * k);
        e.figures = {{"total_rms_arcsec", {0.4 + 0.01 * k, 0.02}}};
        e.note = "note " + std::to_string(k);
        QVERIFY(keepEntry(pathOf(dir), e).has_value());
    }
    // A calibration brings its rates back too.
    Run run;
    run.meta.start = noon + 1234.0;
    run.meta.kind = RunKind::free;
    run.meta.guideScale_arcsec_px = 2.5;
    Random random(3);
    for (int i = 0; i < 400; ++i) {
        RunRow row;
        row.t_s = 2.0 * i;
        row.dra_arcsec = 0.01 * i + 0.3 * random.gaussian();
        row.ddec_arcsec = 0.3 * random.gaussian();
        run.rows.push_back(row);
    }
    QVERIFY(writeRunTable(pathOf(dir) / "runs" / "alone.ecsv", run).has_value());
    std::ofstream(pathOf(dir) / "runs" / "broken.ecsv") << "not a table\n";
    const auto all = [&] {
        std::string text;
        const auto log = NightLog::open(nightLogPath(pathOf(dir)));
        EntrySearch search;
        search.most = 1000;
        const auto found = log->find(search);
        for (const LogEntry& e : *found)
            text += textOf(e) + "\n";
        return text;
    };
    const std::string before = all();
    const auto first = rebuildNightLog(pathOf(dir), [](Instant) { return noon; });
    QVERIFY(first.has_value());
    QCOMPARE(first->entries, 13);
    QCOMPARE(first->fromTables, 1);
    QCOMPARE(first->leftOut.size(), size_t{1}); // named, not passed over
    QVERIFY(fs::exists(first->former));
    const std::string after = all();
    // What the log held is there as it was, and the table has become an entry.
    for (const QString& line : QString::fromStdString(before).split('\n', Qt::SkipEmptyParts))
        QVERIFY(QString::fromStdString(after).contains(line));
    const auto second = rebuildNightLog(pathOf(dir), [](Instant) { return noon; });
    QVERIFY(second.has_value());
    QCOMPARE(second->fromTables, 0);
    QCOMPARE(all(), after);
    const auto log = NightLog::open(nightLogPath(pathOf(dir)));
    const auto drift = log->figureOver("ra_drift_arcsec_min", "");
    QCOMPARE(drift->size(), size_t{1});
    QVERIFY(std::abs(drift->front().value.value - 0.3) < 0.1); // 0.01″ each 2 s
}

void NightBookTest::damagedLogsAreMadeAnew() {
    QTemporaryDir dir;
    for (int k = 0; k < 30; ++k)
        QVERIFY(keepEntry(pathOf(dir), someEntry(EntryKind::freeRun, 100.0 * k)).has_value());
    const fs::path path = nightLogPath(pathOf(dir));
    {
        // All of it into the file, then a hole in its middle.
        sqlite3* db = nullptr;
        QCOMPARE(sqlite3_open(path.c_str(), &db), SQLITE_OK);
        QCOMPARE(sqlite3_exec(db, "PRAGMA wal_checkpoint(TRUNCATE)", nullptr, nullptr, nullptr), SQLITE_OK);
        sqlite3_close(db);
        std::fstream file(path, std::ios::in | std::ios::out | std::ios::binary);
        file.seekp(5000);
        const std::string hole(20000, '\7');
        file.write(hole.data(), static_cast<long>(hole.size()));
    }
    bool told = false;
    if (const auto log = NightLog::open(path))
        told = !log->check();
    else
        told = true;
    QVERIFY(told);
    const auto anew = rebuildNightLog(pathOf(dir), [](Instant) { return noon; });
    QVERIFY2(anew.has_value(), anew ? "" : anew.error().text().c_str());
    QCOMPARE(anew->entries, 30);
    const auto log = NightLog::open(path);
    QVERIFY(log && log->check());
    QCOMPARE(log->find({})->size(), size_t{30});
    QVERIFY(fs::exists(anew->former)); // nothing is thrown away
}

void NightBookTest::oddRecords() {
    QTemporaryDir dir;
    fs::create_directories(pathOf(dir) / "records");
    QVERIFY(keepEntry(pathOf(dir), someEntry(EntryKind::pole, 1.0)).has_value());
    const auto put = [&](const char* name, const std::string& text) {
        std::ofstream(pathOf(dir) / "records" / name) << text;
    };
    put("a.json", "{");
    put("b.json", "{\"format\": \"nordstjerna-entry 9\"}");
    put("c.json", "{\"format\": \"nordstjerna-entry 1\", \"kind\": \"dance\", \"id\": \"c\"}");
    put("d.json",
        "{\"format\": \"nordstjerna-entry 1\", \"kind\": \"free\", \"id\": \"d\", \"night\": \"x\"}");
    put("e.json", "[1, 2]");
    const auto anew = rebuildNightLog(pathOf(dir), [](Instant) { return noon; });
    QVERIFY(anew.has_value());
    QCOMPARE(anew->entries, 1);
    QCOMPARE(anew->leftOut.size(), size_t{5});
    for (const Problem& p : anew->leftOut)
        QVERIFY(!p.what.empty());
    QVERIFY(recoverEntries(pathOf(dir)).has_value());
}

void NightBookTest::manyEntries() {
    QTemporaryDir dir;
    auto log = NightLog::open(nightLogPath(pathOf(dir)));
    for (int k = 0; k < 3000; ++k) {
        LogEntry e = someEntry(k % 3 ? EntryKind::guidedRun : EntryKind::freeRun, 8640.0 * k);
        e.id = "entry-" + std::to_string(k);
        e.figures = {{"total_rms_arcsec", {0.5 + 0.1 * (k % 7), 0.02}}};
        if (k == 1717)
            e.note = "the night of the fox";
        QVERIFY(log->put(e).has_value());
    }
    QCOMPARE(log->nights()->size(), size_t{300});
    EntrySearch search;
    search.words = "fox";
    QCOMPARE(log->find(search)->size(), size_t{1});
    QCOMPARE(log->find(search)->front().id, std::string("entry-1717"));
}

void NightBookTest::seriesTablesComeBack() {
    QTemporaryDir dir;
    SeriesSetup setup;
    setup.rig = demoScenario().rig;
    setup.targetName = "NGC 891";
    setup.target = vectorFrom(demoScenario().target);
    TangentPlane plane;
    const double s = Angle::fromArcsec(1.3).rad();
    plane.cd << -s * std::cos(0.5), s * std::sin(0.5), s * std::sin(0.5), s * std::cos(0.5);
    std::vector<SeriesFrame> frames;
    for (int k = 0; k < 5; ++k) {
        SeriesFrame f;
        f.number = k + 1;
        f.start = noon + 200.0 * k;
        f.exposure_s = 180.0;
        f.side = k < 3 ? "east" : "west";
        f.look.stars = f.look.shaped = 100 + k;
        f.look.fwhm_px = {2.4 + 0.1 * k, 0.01};
        f.look.e1 = {0.08, 1e-6};
        f.look.e2 = {-0.05, 1e-6};
        f.guide.ra_arcsec = 0.4;
        f.guide.dec_arcsec = 0.3;
        f.guide.looks = 80;
        f.remark = k == 2 ? Remark::track : Remark::none;
        frames.push_back(f);
    }
    const fs::path path = pathOf(dir) / "series.ecsv";
    QVERIFY(writeSeriesTable(path, setup, frames, &plane).has_value());
    const auto back = readSeriesTable(path);
    QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
    QCOMPARE(back->target, std::string("NGC 891"));
    QCOMPARE(back->frames.size(), size_t{5});
    QVERIFY(back->plane.has_value());
    QVERIFY(std::abs((back->plane->roll() - plane.roll()).deg()) < 0.01);
    QCOMPARE(back->plane->mirrored(), plane.mirrored());
    for (size_t i = 0; i < 5; ++i) {
        const SeriesFrame& a = frames[i];
        const SeriesFrame& b = back->frames[i];
        QVERIFY(std::abs(a.look.elongation() - b.look.elongation()) < 1e-3);
        QVERIFY(std::abs(std::remainder(a.look.angle_deg() - b.look.angle_deg(), 180.0)) < 0.2);
        QVERIFY(std::abs(a.guide.total_arcsec() - b.guide.total_arcsec()) < 1e-3);
        QVERIFY(a.remark == b.remark && a.side == b.side && a.start == b.start);
    }
    QVERIFY(!readSeriesTable(SOURCE_DIR "/README.md"));
}

// A target over its nights comes from the tables of its series; what is gone is told, and not counted.
void NightBookTest::targetsOverTheNights() {
    QTemporaryDir dir;
    SeriesSetup setup;
    setup.rig = demoScenario().rig;
    auto log = NightLog::open(nightLogPath(pathOf(dir)));
    QVERIFY(log.has_value());
    for (int night = 0; night < 4; ++night) {
        LogEntry e = someEntry(EntryKind::series, 86400.0 * night + 30000.0);
        e.target = setup.targetName = night == 1 ? "M 33" : "NGC 891";
        e.file = "night-" + std::to_string(night) + ".ecsv";
        std::vector<SeriesFrame> frames(6);
        for (size_t k = 0; k < frames.size(); ++k) {
            frames[k].number = static_cast<int>(k) + 1;
            frames[k].start = e.started + 200.0 * static_cast<double>(k);
            frames[k].exposure_s = 180.0;
            frames[k].filter = k % 2 ? "R" : "L";
            frames[k].remark = k == 0 ? Remark::bump : Remark::none;
        }
        if (night < 3) // of the last one the table was taken away
            QVERIFY(writeSeriesTable(pathOf(dir) / e.file, setup, frames).has_value());
        QVERIFY(log->put(e).has_value());
    }
    const auto series = allSeries(*log);
    QVERIFY(series.has_value());
    const auto targets = targetsOf(*series);
    QCOMPARE(targets.size(), size_t{2});
    QCOMPARE(targets.front().first, std::string("NGC 891")); // the one taken last
    QCOMPARE(targets.front().second, 3);
    const ReadProgress read = readProgress(*series, pathOf(dir), "NGC 891");
    QCOMPARE(read.unread, 1);
    QCOMPARE(read.progress.all.frames, 12);
    QCOMPARE(read.progress.all.usable_s, 10 * 180.0);
    QCOMPARE(read.progress.nights.size(), size_t{4}); // two nights through two filters
    QCOMPARE(read.progress.filters.front().first, std::string("L"));
    QCOMPARE(read.progress.filters.front().second.usable, 4);
}

// Figures of a mount over all rigs that it is part of, in order of time.
void NightBookTest::mountsOverTheNights() {
    QTemporaryDir dir;
    auto log = NightLog::open(nightLogPath(pathOf(dir)));
    for (int night = 0; night < 12; ++night) {
        LogEntry e = someEntry(EntryKind::guidedRun, 86400.0 * night, night % 2 ? "Skerry" : "Holm");
        e.figures = {{"total_rms_arcsec", {night < 6 ? 0.9 : 0.5, 0.02}}};
        QVERIFY(log->put(e).has_value());
    }
    const auto lines = readSeason(*log, {"id-Skerry", "id-Holm"});
    QVERIFY(lines.has_value());
    QCOMPARE(lines->size(), std::size(seasonFigures));
    const SeasonLine& rms = lines->front();
    QCOMPARE(rms.points.size(), size_t{12});
    QVERIFY(std::is_sorted(rms.points.begin(), rms.points.end(),
                           [](const TrendPoint& a, const TrendPoint& b) { return a.when < b.when; }));
    QCOMPARE(rms.trend.changes.size(), size_t{1});
    QCOMPARE(readSeason(*log, {"id-Skerry"})->front().points.size(), size_t{6});
}

NORDSTJERNA_TEST(NightBookTest)
#include "night_book_test.moc"
