// Tables of guide errors from elsewhere: how they are cut, mapped and refused.
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>
#include <fstream>

#include "core/motion/run_event_words.h"
#include "edge/store/import_table.h"
#include "edge/store/run_export.h"
#include "registry.h"

using namespace nordstjerna;
namespace fs = std::filesystem;

class ImportTest : public QObject {
    Q_OBJECT
private slots:
    void init() { dir_ = std::make_unique<QTemporaryDir>(); }
    void layoutsAreFound_data();
    void layoutsAreFound();
    void signsUnitsAndPulses();
    void kindsOfTime();
    void badRowsAreNamed();
    void refusals();
    void mappingIsRemembered();
    void manyRows();
    void outAndInAgain();
    void fitsTables();

private:
    fs::path write(const std::string& text, const char* name = "table.txt") {
        const fs::path path = fs::path(dir_->path().toStdString()) / name;
        std::ofstream(path, std::ios::binary) << text;
        return path;
    }
    std::unique_ptr<QTemporaryDir> dir_;
};

void ImportTest::layoutsAreFound_data() {
    QTest::addColumn<QString>("head");
    QTest::addColumn<QString>("separator");
    QTest::addColumn<bool>("comma");
    QTest::addColumn<int>("wanted");
    QTest::newRow("comma") << "Time,RA error,Dec error\n"
                           << "," << false << static_cast<int>(Separator::comma);
    QTest::newRow("semicolon") << "Time;RA error;Dec error\n"
                               << ";" << false << static_cast<int>(Separator::semicolon);
    QTest::newRow("decimal comma") << "Zeit;RA;Dec\n"
                                   << ";" << true << static_cast<int>(Separator::semicolon);
    QTest::newRow("tab") << "made by hand\nfor a test\n\nt\tra\tdec\n"
                         << "\t" << false << static_cast<int>(Separator::tab);
    QTest::newRow("tab with commas") << "t\tra\tdec\n"
                                     << "\t" << true << static_cast<int>(Separator::tab);
    QTest::newRow("blanks") << ""
                            << "   " << false << static_cast<int>(Separator::blanks);
    QTest::newRow("windows line ends") << "Time,RA,Dec\r\n"
                                       << "," << false << static_cast<int>(Separator::comma);
    QTest::newRow("byte order mark") << "\xEF\xBB\xBFTime,RA,Dec\n"
                                     << "," << false << static_cast<int>(Separator::comma);
}

void ImportTest::layoutsAreFound() {
    QFETCH(QString, head);
    QFETCH(QString, separator);
    QFETCH(bool, comma);
    QFETCH(int, wanted);
    std::string text = head.toStdString();
    const std::string end = head.contains("\r\n") ? "\r\n" : "\n";
    for (int i = 0; i < 60; ++i) {
        QString row =
            QStringList{QString::number(2.5 * i, 'f', 2), QString::number(0.3 * std::sin(i), 'f', 4),
                        QString::number(-0.01 * i, 'f', 4)}
                .join(separator);
        if (comma)
            row.replace('.', ',');
        text += row.toStdString() + end;
    }
    const fs::path path = write(text);
    const auto p = previewTable(path);
    QVERIFY2(p.has_value(), p ? "" : p.error().text().c_str());
    QCOMPARE(static_cast<int>(p->layout.separator), wanted);
    QCOMPARE(p->layout.decimalComma, comma);
    QCOMPARE(p->layout.columns, size_t{3});
    QCOMPARE(p->rows.size(), size_t{12});
    ImportMapping m = proposedMapping(p->layout);
    if (head.isEmpty() || head.startsWith("Zeit")) { // names that say nothing to us
        m.timeColumn = 0;
        m.time = TimeKind::seconds;
        m.raColumn = 1;
        m.decColumn = 2;
    }
    QCOMPARE(m.timeColumn, 0);
    QCOMPARE(m.raColumn, 1);
    QCOMPARE(m.decColumn, 2);
    const auto done = importTable(path, p->layout, m);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY2(done->rowsLeftOut == 0, done->firstLeftOut.english().c_str());
    QCOMPARE(done->run.rows.size(), size_t{60});
    QCOMPARE(done->rowsLeftOut, size_t{0});
    QVERIFY(std::abs(done->run.rows[7].t_s - 17.5) < 1e-9);
    QVERIFY(std::abs(done->run.rows[7].dra_arcsec - 0.3 * std::sin(7)) < 1e-4);
    QVERIFY(std::abs(done->run.rows[7].ddec_arcsec + 0.07) < 1e-4);
}

void ImportTest::signsUnitsAndPulses() {
    std::string text = "Time (s),RA px,Dec px,RA pulse ms,Dec pulse ms,SNR\n";
    for (int i = 0; i < 20; ++i)
        text += std::to_string(i) + ",0.5,-0.25,120,-40,33\n";
    const fs::path path = write(text);
    const auto p = previewTable(path);
    ImportMapping m = proposedMapping(p->layout);
    QCOMPARE(m.raPulseColumn, 3);
    QCOMPARE(m.decPulseColumn, 4);
    QCOMPARE(m.snrColumn, 5);
    QVERIFY(m.kind == RunKind::guided);
    m.arcsecPerUnit = 2.5;
    m.raWest = true;
    m.decPulseSouth = true;
    const auto done = importTable(path, p->layout, m);
    const RunRow& r = done->run.rows[3];
    QCOMPARE(r.dra_arcsec, -1.25);
    QCOMPARE(r.ddec_arcsec, -0.625);
    QCOMPARE(r.pulseRa_ms, 120.0);
    QCOMPARE(r.pulseDec_ms, 40.0);
    QCOMPARE(r.snr, 33.0);
}

void ImportTest::kindsOfTime() {
    const auto read = [&](const std::vector<std::string>& times, TimeKind kind) {
        std::string text;
        for (const std::string& t : times)
            text += t + ";0.1;0.2\n";
        const fs::path path = write(text);
        const auto p = previewTable(path, Separator::semicolon, false);
        ImportMapping m;
        m.time = kind;
        m.timeColumn = 0;
        m.raColumn = 1;
        m.decColumn = 2;
        const auto done = importTable(path, p->layout, m);
        if (!done)
            qWarning("%s", done.error().text().c_str());
        return done ? done->run : Run{};
    };
    std::vector<std::string> clock;
    std::vector<std::string> date;
    std::vector<std::string> ms;
    for (int i = 0; i < 12; ++i) { // over midnight
        const int s = 23 * 3600 + 59 * 60 + 50 + 2 * i;
        char text[32];
        std::snprintf(text, sizeof text, "%02d:%02d:%02d.5", s / 3600 % 24, s / 60 % 60, s % 60);
        clock.push_back(text);
        std::snprintf(text, sizeof text, "2026-10-%02d %02d:%02d:%02d", s < 86400 ? 14 : 15, s / 3600 % 24,
                      s / 60 % 60, s % 60);
        date.push_back(text);
        ms.push_back(std::to_string(5000 + 2000 * i));
    }
    for (const Run& run :
         {read(clock, TimeKind::clock), read(date, TimeKind::date), read(ms, TimeKind::milliseconds)}) {
        QCOMPARE(run.rows.size(), size_t{12});
        QVERIFY(std::abs(run.rows.back().t_s - 22.0) < 1e-6);
    }
    QCOMPARE(read(date, TimeKind::date).meta.start.unix_s, parseInstant("2026-10-14T23:59:50")->unix_s);
}

void ImportTest::badRowsAreNamed() {
    std::string text = "t,ra,dec\n";
    for (int i = 0; i < 40; ++i)
        text += i == 7 ? "14,lost,lost\n" : i == 9 ? "18,0.1\n" : std::to_string(2 * i) + ",0.1,0.2\n";
    const fs::path path = write(text);
    const auto p = previewTable(path);
    const auto done = importTable(path, p->layout, proposedMapping(p->layout));
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(done->run.rows.size(), size_t{39}); // a lost star is a row, a broken line is none
    QVERIFY(!done->run.rows[7].measured());
    QCOMPARE(done->rowsLeftOut, size_t{2});
    QVERIFY2(done->firstLeftOut.english().find("Line 9") == 0, done->firstLeftOut.english().c_str());
}

void ImportTest::refusals() {
    const auto refused = [](const auto& result, const char* words) {
        return !result &&
               (result.error().what.english() + result.error().why.english()).find(words) !=
                   std::string::npos &&
               !result.error().remedy.empty();
    };
    QVERIFY(refused(previewTable(dir_->filePath("none").toStdString()), "no table"));
    QVERIFY(refused(previewTable(write("a letter\nto a friend\nabout the night\n")), "no table"));
    QVERIFY(refused(previewTable(write(std::string("a\0b", 3) + "\n")), "no text"));
    QVERIFY(refused(previewTable(write("")), "no table"));
    std::string text = "t,ra,dec\n";
    for (int i = 0; i < 40; ++i)
        text += std::to_string(i == 30 ? 3 : 2 * i) + ",0.1,0.2\n";
    const fs::path back = write(text);
    const auto p = previewTable(back);
    ImportMapping m = proposedMapping(p->layout);
    QVERIFY(refused(importTable(back, p->layout, m), "go back in line 32"));
    m.decColumn = m.raColumn;
    QVERIFY(refused(importTable(back, p->layout, m), "same column"));
    m.decColumn = 9;
    QVERIFY(refused(importTable(back, p->layout, m), "needed"));
    m = proposedMapping(p->layout);
    m.time = TimeKind::clock; // numbers are no clock
    QVERIFY(refused(importTable(back, p->layout, m), "Only 0 rows"));
    m.time = TimeKind::seconds;
    m.arcsecPerUnit = 0.0;
    QVERIFY(refused(importTable(back, p->layout, m), "unit"));
}

void ImportTest::mappingIsRemembered() {
    const fs::path kept = fs::path(dir_->path().toStdString()) / "imports.json";
    ImportLayout layout;
    layout.names = {"t", "x \"odd\" name", "y"};
    layout.columns = 3;
    QVERIFY(!keptMapping(kept, layout));
    ImportMapping m;
    m.time = TimeKind::minutes;
    m.raColumn = 2;
    m.decColumn = 1;
    m.arcsecPerUnit = 1.7;
    m.decSouth = true;
    m.kind = RunKind::free;
    QVERIFY(keepMapping(kept, layout, m).has_value());
    ImportLayout other = layout;
    other.names[0] = "time";
    QVERIFY(keepMapping(kept, other, ImportMapping()).has_value());
    QVERIFY(keptMapping(kept, layout) == m);
    std::ofstream(kept) << "{ broken";
    QVERIFY(!keptMapping(kept, layout));
}

void ImportTest::manyRows() {
    std::string text = "t,ra,dec\n";
    for (int i = 0; i < 100000; ++i)
        text += std::to_string(2 * i) + ",0.125,-0.25\n";
    const fs::path path = write(text);
    const auto p = previewTable(path);
    const auto done = importTable(path, p->layout, proposedMapping(p->layout));
    QVERIFY(done && done->run.rows.size() == 100000);
}

namespace {
Run smallRun() {
    Run run;
    run.meta.start = *parseInstant("2026-10-14T20:00:00");
    run.meta.kind = RunKind::guided;
    run.meta.guideScale_arcsec_px = 2.5;
    for (int i = 0; i < 30; ++i) {
        RunRow row;
        row.t_s = 2.125 * i;
        row.dra_arcsec = i == 4 ? std::nan("") : 0.125 * i;
        row.ddec_arcsec = i == 4 ? std::nan("") : -0.25;
        row.pulseRa_ms = 10.0 * i;
        row.stars = 3;
        row.events = eventsFrom(i == 4 ? "lost" : i == 7 ? "set gain-ra 0.3; \"odd\", ″" : "");
        run.rows.push_back(row);
    }
    return run;
}
} // namespace

// What we write others read, and so do we.
void ImportTest::outAndInAgain() {
    const Run run = smallRun();
    const fs::path path = fs::path(dir_->path().toStdString()) / "out.csv";
    QVERIFY(exportRun(path, run).has_value());
    QVERIFY(!exportRun(path, run)); // never over another
    QVERIFY(!exportRun(fs::path(dir_->path().toStdString()) / "out.xyz", run));
    const auto p = previewTable(path);
    QVERIFY2(p.has_value(), p ? "" : p.error().text().c_str());
    const ImportMapping m = proposedMapping(p->layout);
    const auto back = importTable(path, p->layout, m);
    QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
    QCOMPARE(back->run.rows.size(), run.rows.size());
    QVERIFY(!back->run.rows[4].measured());
    QCOMPARE(back->run.rows[9].dra_arcsec, run.rows[9].dra_arcsec);
    QCOMPARE(back->run.rows[9].pulseRa_ms, 90.0);
    QCOMPARE(back->run.rows[9].t_s, run.rows[9].t_s);
}

// By fitsverify and astropy.
void ImportTest::fitsTables() {
    const Run run = smallRun();
    const fs::path path = fs::path(dir_->path().toStdString()) / "out.fits";
    const auto done = exportRun(path, run);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QProcess verify;
    verify.start("fitsverify", {"-e", QString::fromStdString(path.string())});
    QVERIFY2(verify.waitForFinished(), "fitsverify (Debian package) is needed");
    const QString said = verify.readAllStandardOutput();
    QVERIFY2(verify.exitCode() == 0, qPrintable(said.section("Error Summary", 1)));
    QProcess python;
    python.start("/usr/bin/python3",
                 {"-c",
                  "import sys; from astropy.table import Table; t = Table.read(sys.argv[1]); "
                  "print(len(t), t.colnames, t['dra'].unit, float(t['dra'][9]), t.meta['RUNKIND'])",
                  QString::fromStdString(path.string())});
    QVERIFY(python.waitForFinished(60000));
    const QString read = python.readAllStandardOutput();
    QVERIFY2(read.startsWith("30 ['t', 'dra', 'ddec'") && read.contains("arcsec 1.125 guided"),
             qPrintable(read + python.readAllStandardError()));
}

NORDSTJERNA_TEST(ImportTest)
#include "import_test.moc"
