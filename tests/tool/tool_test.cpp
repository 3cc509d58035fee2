// nordstjerna-tool as scripts see it: output, keys, units, exit status.
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>
#include <fstream>

#include "core/pole/sighting_plan.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/store/fits.h"
#include "night_fixture.h"
#include "programs.h"
#include "reference_data.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

namespace {

struct RunProgram {
    int status = -1;
    nlohmann::json out;
    QString raw, error;
};

RunProgram tool(const QStringList& arguments,
                const QProcessEnvironment& environment = QProcessEnvironment::systemEnvironment()) {
    QProcess p;
    p.setProcessEnvironment(environment);
    p.start(toolPath, arguments);
    if (!p.waitForFinished(300000))
        return {};
    RunProgram r;
    r.status = p.exitCode();
    r.raw = QString::fromUtf8(p.readAllStandardOutput());
    r.error = QString::fromUtf8(p.readAllStandardError());
    r.out = nlohmann::json::parse(r.raw.toStdString(), nullptr, false);
    return r;
}

bool isMeasured(const nlohmann::json& j) {
    return j.is_object() && j.at("value").is_number() && j.at("sigma").is_number();
}

} // namespace

class ToolTest : public QObject {
    Q_OBJECT
private slots:
    void init() { dir_ = std::make_unique<QTemporaryDir>(); }
    void scales();
    void wrongUsageIsTwo_data();
    void wrongUsageIsTwo();
    void helpTellsAll();
    void problemsAreOne();
    void starsCountFromOne();
    void solveAndWrite();
    void poleFromFrames_data();
    void poleFromFrames();
    void polePlaceTwice();
    void simulateCalibrateAnalyse();
    void seriesSimulatedAndJudged();
    void analyseFindsTheWorm();
    void analyseFindsTheBacklash();
    void reportsAreWritten();
    void badRuns_data();
    void badRuns();
    void shortAndStillRunsSaySo();
    void simulationIsRepeatable();
    void missingIndexFiles();
    void replayAndTune();
    void nightLog();

private:
    QString in(const char* name) const { return dir_->filePath(name); }
    std::unique_ptr<QTemporaryDir> dir_;
};

void ToolTest::scales() {
    // Common practice, worked example: 5.86 µm at 200 mm over 2.9 µm at 447 mm.
    const RunProgram r = tool({"scales", "--guide-pixel", "5.86", "--guide-focal", "200", "--image-pixel",
                               "2.9", "--image-focal", "447", "--dither", "9"});
    QCOMPARE(r.status, 0);
    QVERIFY(std::abs(double(r.out["ratio"]) - 4.516) < 0.001);
    QVERIFY(std::abs(double(r.out["guide_scale"]) - 6.0436) < 0.001);
    QVERIFY(std::abs(double(r.out["image_scale"]) - 1.3382) < 0.001);
    QVERIFY(std::abs(double(r.out["dither_guide_px"]) - 9.0 / 4.516) < 0.001);
    QVERIFY(std::abs(double(r.out["dither_arcsec"]) - 9.0 * 1.3382) < 0.01);
    QVERIFY(r.out["findings"].is_array());
    const RunProgram fine = tool({"scales", "--guide-pixel", "5.86", "--guide-focal", "3454", "--image-pixel",
                                  "3.76", "--image-focal", "3454"});
    QCOMPARE(std::string(fine.out["findings"][0]["id"]), std::string("guide-scale-fine"));
    for (const char* key : {"weight", "headline", "evidence", "remedy"})
        QVERIFY(fine.out["findings"][0].contains(key));
}

void ToolTest::wrongUsageIsTwo_data() {
    QTest::addColumn<QStringList>("arguments");
    QTest::newRow("nothing") << QStringList{};
    QTest::newRow("unknown command") << QStringList{"dance"};
    QTest::newRow("unknown option") << QStringList{"stars", "a.fits", "--quick"};
    QTest::newRow("unknown letter") << QStringList{"stars", "-q", "a.fits"};
    QTest::newRow("no value") << QStringList{"solve", "a.fits", "--scale"};
    QTest::newRow("name cut short") << QStringList{"solve", "a.fits", "--rad", "5"};
    QTest::newRow("name cut short, one word") << QStringList{"solve", "a.fits", "--rad=5"};
    QTest::newRow("flag cut short") << QStringList{"replay", "a.ecsv", "--sear"};
    QTest::newRow("twice") << QStringList{"solve", "a.fits", "--scale", "2", "--scale", "3"};
    QTest::newRow("one word too many") << QStringList{"stars", "a.fits", "b.fits"};
    QTest::newRow("no frame") << QStringList{"stars"};
    QTest::newRow("decimal comma") << QStringList{"solve", "a.fits", "--scale", "2,5"};
    QTest::newRow("night alone") << QStringList{"night"};
    QTest::newRow("unknown night") << QStringList{"night", "dance"};
    QTest::newRow("half a frame") << QStringList{"simulate",       "s.json", "--minutes", "1",
                                                 "--kind",         "series", "--out",     "o.ecsv",
                                                 "--dither-every", "1.5"};
    QTest::newRow("tuned series") << QStringList{"simulate", "s.json",  "--minutes", "1",     "--kind",
                                                 "series",   "--tuned", "--out",     "o.ecsv"};
    QTest::newRow("negative seed") << QStringList{"simulate", "s.json", "--minutes", "1",      "--kind",
                                                  "free",     "--out",  "o.ecsv",    "--seed", "-4"};
    QTest::newRow("report") << QStringList{"analyse", "r.ecsv", "--report", "r.docx"};
    QTest::newRow("missing option") << QStringList{"scales", "--guide-pixel", "3"};
    QTest::newRow("negative pixel") << QStringList{"scales", "--guide-pixel", "-3", "--guide-focal",
                                                   "200",    "--image-pixel", "3",  "--image-focal",
                                                   "500"};
    QTest::newRow("zero focal length") << QStringList{
        "scales", "--guide-pixel", "3", "--guide-focal", "0", "--image-pixel", "3", "--image-focal", "500"};
    QTest::newRow("one frame") << QStringList{"pole", "a.fits", "--latitude", "58", "--longitude", "11"};
    QTest::newRow("latitude") << QStringList{"pole", "a.fits",      "b.fits", "--latitude",
                                             "158",  "--longitude", "11"};
    QTest::newRow("reference") << QStringList{"pole",        "a.fits", "b.fits",      "--latitude", "58",
                                              "--longitude", "11",     "--reference", "left"};
    QTest::newRow("ra without dec") << QStringList{"solve", "a.fits", "--ra", "10"};
    QTest::newRow("kind") << QStringList{"simulate", "s.json", "--minutes", "1",
                                         "--kind",   "wild",   "--out",     "o.ecsv"};
}

void ToolTest::wrongUsageIsTwo() {
    QFETCH(QStringList, arguments);
    const RunProgram r = tool(arguments);
    QCOMPARE(r.status, 2);
    QVERIFY(r.raw.isEmpty());
    QVERIFY(!r.error.isEmpty());
}

void ToolTest::helpTellsAll() {
    const RunProgram all = tool({"--help"});
    QCOMPARE(all.status, 0);
    QVERIFY(all.raw.contains("night rebuild") && all.raw.contains("Stars of a frame"));
    const RunProgram one = tool({"replay", "--help"});
    QCOMPARE(one.status, 0);
    for (const char* told : {"RUN", "--gain-ra VALUE", "--dec-corrections VALUE", "--search "})
        QVERIFY2(one.raw.contains(told), qPrintable(one.raw));
    const RunProgram night = tool({"night", "--help"});
    QVERIFY(night.status == 0 && night.raw.contains("night show") && !night.raw.contains("simulate"));
    QVERIFY(tool({"--version"}).raw.startsWith("nordstjerna-tool "));
    // What is wrong is said, and where more stands.
    const RunProgram wrong = tool({"pole", "a.fits", "b.fits", "--latitude", "158", "--longitude", "11"});
    QVERIFY2(wrong.error.contains("--latitude 158: from -90 to 90") &&
                 wrong.error.contains("nordstjerna-tool pole --help"),
             qPrintable(wrong.error));
}

void ToolTest::problemsAreOne() {
    std::ofstream(in("junk").toStdString()) << "junk";
    for (const QStringList& arguments :
         {QStringList{"stars", in("missing.fits")}, QStringList{"solve", in("junk")},
          QStringList{"pole", in("junk"), in("junk"), "--latitude", "58", "--longitude", "11"},
          QStringList{"calibrate", in("junk")}, QStringList{"analyse", in("missing.ecsv")},
          QStringList{"simulate", in("junk"), "--minutes", "1", "--kind", "free", "--out", in("o.ecsv")}}) {
        const RunProgram r = tool(arguments);
        QCOMPARE(r.status, 1);
        const auto& p = r.out.at("problem");
        QVERIFY(!std::string(p.at("what")).empty());
        QVERIFY(p.contains("why") && p.contains("what_to_do"));
        QVERIFY(!r.error.isEmpty());
    }
}

void ToolTest::starsCountFromOne() {
    const RunProgram r = tool({"stars", SOURCE_DIR "/tests/reference/data/stars.fits"});
    QCOMPARE(r.status, 0);
    const auto reference = referenceData("detections");
    QVERIFY(r.out["stars"].size() >= reference["stars"].size() - 1);
    // sep counts from zero, FITS from one.
    for (const auto& s : reference["stars"]) {
        if (double(s["flux"]) < 40000)
            continue;
        const bool there = std::any_of(r.out["stars"].begin(), r.out["stars"].end(), [&](const auto& t) {
            return std::hypot(double(t["x"]) - double(s["x"]) - 1.0, double(t["y"]) - double(s["y"]) - 1.0) <
                   0.05;
        });
        QVERIFY(there);
    }
    for (const char* key : {"x", "y", "flux", "snr", "hfd", "peak", "saturated"})
        QVERIFY(r.out["stars"][0].contains(key));
    QVERIFY(r.out["background"].is_number() && r.out["noise"].is_number());
}

void ToolTest::solveAndWrite() {
    StopFlag never{false};
    SimulatedNight night(perfectScenario(), sharedIndex());
    const auto frame = night.guideCamera().expose(3.0, never);
    QVERIFY(writeFits(in("f.fits").toStdString(), **frame).has_value());
    const RunProgram r = tool({"solve", in("f.fits"), "--write", in("w.fits")});
    QVERIFY2(r.status == 0, qPrintable(r.error));
    QVERIFY(std::abs(double(r.out["ra"]) - (*frame)->info.pointing->ra.deg()) < 0.01);
    QVERIFY(std::abs(double(r.out["dec"]) - (*frame)->info.pointing->dec.deg()) < 0.01);
    QCOMPARE(std::string(r.out["parity"]), std::string("normal"));
    QVERIFY(std::abs(double(r.out["scale_arcsec_px"]) - 2.578) < 0.005);
    QVERIFY(int(r.out["matched"]) >= 10 && double(r.out["rms_arcsec"]) < 1.0);
    QVERIFY(std::abs(double(r.out["roll"]) - 23.0) < 0.6);
    // Another program's reading of the written WCS: the centre of the frame is the solved place.
    QProcess python;
    python.start("/usr/bin/python3", {"-c",
                                      "import sys\nfrom astropy.io import fits\nfrom astropy.wcs import WCS\n"
                                      "h=fits.getheader(sys.argv[1])\nw=WCS(h)\n"
                                      "print(*w.all_pix2world([[(h['NAXIS1']+1)/2,(h['NAXIS2']+1)/2]],1)[0])",
                                      in("w.fits")});
    QVERIFY(python.waitForFinished(60000));
    const QStringList place = QString(python.readAllStandardOutput()).simplified().split(' ');
    QVERIFY2(place.size() == 2, python.readAllStandardError());
    QVERIFY(std::abs(place[0].toDouble() - double(r.out["ra"])) < 1e-6);
    QVERIFY(std::abs(place[1].toDouble() - double(r.out["dec"])) < 1e-6);
    QCOMPARE(tool({"solve", in("f.fits"), "--write", in("w.fits")}).status, 1); // never overwrites
    QCOMPARE(tool({"solve", in("f.fits"), "--scale", "2.58", "--scale-tolerance", "0.05", "--ra", "339",
                   "--dec", "20", "--radius", "5"})
                 .status,
             0);
}

void ToolTest::poleFromFrames_data() {
    QTest::addColumn<bool>("southern");
    QTest::addColumn<bool>("mirrored");
    QTest::addColumn<int>("frames");
    QTest::newRow("north, three frames") << false << false << 3;
    QTest::newRow("north, two mirrored frames") << false << true << 2;
    QTest::newRow("south, four frames") << true << false << 4;
}

void ToolTest::poleFromFrames() {
    QFETCH(bool, southern);
    QFETCH(bool, mirrored);
    QFETCH(int, frames);
    StopFlag never{false};
    Scenario s = demoScenario();
    s.guideMirrored = mirrored;
    s.axisEast_arcmin = -7.5;
    s.axisHigh_arcmin = 12.0;
    if (southern) {
        s.rig.site.latitude = Angle::fromDeg(-33.4);
        s.rig.horizon = {};
    }
    SimulatedNight night(s, sharedIndex());
    QStringList arguments{"pole"};
    for (int i = 0; i < frames; ++i) {
        const HourAngleDec place{Angle::fromDeg(-65.0 + 50.0 * i / (frames - 1)),
                                 Angle::fromDeg(southern ? -25 : 30)};
        QVERIFY(night.mount().slew(place, never).has_value());
        night.clock().sleep(8.0, never);
        const QString name = in(qPrintable(QString("p%1.fits").arg(i)));
        QVERIFY(writeFits(name.toStdString(), **night.guideCamera().expose(3.0, never)).has_value());
        arguments << name;
    }
    const Site& site = s.rig.site;
    arguments << "--latitude" << QString::number(site.latitude.deg(), 'f', 6) << "--longitude"
              << QString::number(site.longitude.deg(), 'f', 6) << "--height" << QString::number(site.height_m)
              << "--pressure" << QString::number(site.pressure_hpa) << "--temperature"
              << QString::number(site.temperature_c);
    const RunProgram geometric = tool(arguments + QStringList{"--reference", "true"});
    QVERIFY2(geometric.status == 0, qPrintable(geometric.error));
    const RunProgram refracted = tool(arguments);
    QCOMPARE(refracted.status, 0);
    for (const char* key : {"east_arcmin", "high_arcmin", "total_arcmin"})
        QVERIFY(isMeasured(refracted.out[key]));
    QCOMPARE(std::string(refracted.out["reference"]), std::string("refracted"));
    QCOMPARE(std::string(geometric.out["reference"]), std::string("true"));
    // Truth of the scenario, and three times the stated uncertainty.
    const auto near = [](const nlohmann::json& m, double truth) {
        return std::abs(double(m["value"]) - truth) < std::max(0.1, 3.5 * double(m["sigma"]));
    };
    QVERIFY2(near(geometric.out["east_arcmin"], -7.5), geometric.out.dump().c_str());
    QVERIFY2(near(geometric.out["high_arcmin"], 12.0), geometric.out.dump().c_str());
    const double lift = refractionAt(site, Angle::fromDeg(std::abs(site.latitude.deg()))).arcmin();
    QVERIFY(std::abs(double(geometric.out["high_arcmin"]["value"]) -
                     double(refracted.out["high_arcmin"]["value"]) - lift) < 0.01);
}

void ToolTest::polePlaceTwice() {
    StopFlag never{false};
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto frame = night.guideCamera().expose(3.0, never);
    QVERIFY(writeFits(in("a.fits").toStdString(), **frame).has_value());
    QVERIFY(writeFits(in("b.fits").toStdString(), **frame).has_value());
    const RunProgram r =
        tool({"pole", in("a.fits"), in("b.fits"), "--latitude", "58.35", "--longitude", "11.2"});
    QCOMPARE(r.status, 1);
    QVERIFY(std::string(r.out["problem"]["what"]).find("same part of the sky") != std::string::npos);
}

void ToolTest::seriesSimulatedAndJudged() {
    // The demo's night and field, with a quarter of the pixels.
    for (const char* name : {"night.json", "skerry-610.json"}) {
        QFile from(QString(SOURCE_DIR "/resources/demo/") + name);
        QFile to(in(name));
        QVERIFY(from.open(QIODevice::ReadOnly) && to.open(QIODevice::WriteOnly));
        to.write(from.readAll().replace("\"pixel_um\": 4.2, \"width\": 5000, \"height\": 3400",
                                        "\"pixel_um\": 8.4, \"width\": 2500, \"height\": 1700"));
    }
    const QString scenario = in("night.json");
    RunProgram r = tool({"simulate", scenario, "--minutes", thinned ? "11" : "14", "--kind", "series",
                         "--image-exposure", "60", "--dither-every", "2", "--seed", "5", "--out",
                         in("s.ecsv"), "--frames", in("lights")});
    QVERIFY2(r.status == 0, qPrintable(r.error));
    const int rows = r.out["rows"];
    const int looked = thinned ? 3 : 4;
    QVERIFY(rows >= looked);
    QCOMPARE(r.out["frames"].get<int>(), rows);
    QFile table(in("s.ecsv"));
    QVERIFY(table.open(QIODevice::ReadOnly));
    const QByteArray text = table.readAll();
    QVERIFY(text.startsWith("# %ECSV 1.0") && text.contains("nordstjerna-series 1") && !text.contains("nan"));
    QStringList lights;
    for (const QFileInfo& f : QDir(in("lights/NGC-891")).entryInfoList({"*.fits"}, QDir::Files, QDir::Name))
        lights << f.filePath();
    QCOMPARE(static_cast<int>(lights.size()), rows);
    r = tool(QStringList{"series"} + lights.mid(0, looked));
    QVERIFY2(r.status == 0, qPrintable(r.error));
    QCOMPARE(r.out["frames"].size(), static_cast<size_t>(looked));
    for (const auto& f : r.out["frames"]) {
        QVERIFY(isMeasured(f["fwhm_arcsec"]) && f["fwhm_arcsec"]["value"] > 2.0 &&
                f["fwhm_arcsec"]["value"] < 6.0);
        QVERIFY(f["stars"] > 100);
        QVERIFY(f["elongation"] < 0.15);
    }
    QVERIFY(r.out.contains("oval") && r.out["oval"]["oval"] == false);
    QVERIFY(r.out["findings"].is_array());
    QCOMPARE(tool({"series", in("missing.fits")}).status, 1);
    QCOMPARE(tool({"series"}).status, 2);
}

void ToolTest::simulateCalibrateAnalyse() {
    const QString scenario = SOURCE_DIR "/resources/demo/night.json";
    RunProgram r = tool({"simulate", scenario, "--minutes", "5", "--kind", "calibration", "--seed", "3",
                         "--out", in("c.ecsv"), "--frames", in("frames")});
    QVERIFY2(r.status == 0, qPrintable(r.error));
    QVERIFY(QFile::exists(in("frames/frame-0001.fits")));
    r = tool({"calibrate", in("c.ecsv")});
    QVERIFY2(r.status == 0, qPrintable(r.error));
    for (const char* axis : {"ra", "dec"}) {
        QVERIFY(isMeasured(r.out[axis]["rate_px_s"]) && isMeasured(r.out[axis]["angle_deg"]));
        QVERIFY(int(r.out[axis]["steps"]) >= 8);
    }
    QVERIFY(isMeasured(r.out["orthogonality_deg"]) && isMeasured(r.out["dec_backlash_ms"]));
    QVERIFY(std::abs(double(r.out["dec"]["rate_px_s"]["value"]) - 2.83) < 0.1);
    QVERIFY(r.out["verdict"] == "good" || r.out["verdict"] == "usable");
    r = tool({"simulate", scenario, "--minutes", "6", "--kind", "guided", "--out", in("g.ecsv")});
    QVERIFY2(r.status == 0, qPrintable(r.error));
    r = tool({"analyse", in("g.ecsv")});
    QVERIFY2(r.status == 0, qPrintable(r.error));
    for (const char* axis : {"ra", "dec"})
        QVERIFY(isMeasured(r.out[axis]["drift_arcsec_min"]) && r.out[axis]["rms_arcsec"].is_number() &&
                r.out[axis]["noise_arcsec"].is_number());
    QVERIFY(double(r.out["total_rms_arcsec"]) > 0.2 && double(r.out["total_rms_arcsec"]) < 1.5);
    QVERIFY(r.out["findings"].is_array());
}

void ToolTest::analyseFindsTheWorm() {
    const QStringList record{"simulate",  SOURCE_DIR "/resources/demo/night.json",
                             "--minutes", "16",
                             "--kind",    "free",
                             "--seed",    "8",
                             "--out",     in("free.ecsv")};
    QCOMPARE(tool(record).status, 0);
    // What the demo's scenario hides: 7.4″ at 432 s, 1.6″ at 216 s, and a gear of 63.7 s.
    const RunProgram found = tool({"analyse", in("free.ecsv")});
    QCOMPARE(found.status, 0);
    const auto& worm = found.out.at("worm");
    QVERIFY(std::abs(double(worm["period_s"]["value"]) - 432.0) < 6.0);
    QVERIFY(double(worm["period_s"]["sigma"]) > 0.0);
    bool gear = false;
    for (const auto& line : found.out["periodic"]) {
        QVERIFY(double(line["false_alarm"]) < 0.01);
        gear |= std::abs(double(line["period_s"]["value"]) - 63.7) < 1.0;
    }
    QVERIFY(gear);
    const RunProgram given = tool({"analyse", in("free.ecsv"), "--worm-period", "432"});
    QCOMPARE(double(given.out["worm"]["period_s"]["value"]), 432.0);
    const double peak = given.out["worm"]["peak_to_peak_arcsec"];
    QVERIFY2(std::abs(peak - 14.0) < 1.5, qPrintable(QString::number(peak)));
    QVERIFY(!given.out.contains("backlash"));
    // Too long a worm for this run is said, not guessed.
    const RunProgram long_ = tool({"analyse", in("free.ecsv"), "--worm-period", "1500"});
    QVERIFY(!long_.out.contains("worm"));
    bool said = false;
    for (const auto& f : long_.out["findings"])
        said |= f["id"] == "worm-too-short";
    QVERIFY(said);
}

void ToolTest::analyseFindsTheBacklash() {
    QCOMPARE(tool({"simulate", SOURCE_DIR "/resources/demo/night.json", "--minutes", "5", "--kind",
                   "backlash", "--seed", "4", "--out", in("backlash.ecsv")})
                 .status,
             0);
    const RunProgram r = tool({"analyse", in("backlash.ecsv")});
    QCOMPARE(r.status, 0);
    const auto& b = r.out.at("backlash");
    // 5.2″ of backlash in the scenario.
    QVERIFY2(std::abs(double(b["dead_arcsec"]["value"]) - 5.2) <
                 std::max(0.6, 3.0 * double(b["dead_arcsec"]["sigma"])),
             qPrintable(QString::number(double(b["dead_arcsec"]["value"]))));
    QCOMPARE(std::string(b["shape"]), std::string("gap"));
    QVERIFY(!r.out.contains("periodic"));
}

void ToolTest::reportsAreWritten() {
    const QString scenario = SOURCE_DIR "/resources/demo/night.json";
    QCOMPARE(tool({"simulate", scenario, "--minutes", "16", "--kind", "free", "--out", in("f.ecsv")}).status,
             0);
    RunProgram r = tool({"analyse", in("f.ecsv"), "--report", in("f.html")});
    QVERIFY2(r.status == 0, qPrintable(r.error));
    QFile html(in("f.html"));
    QVERIFY(html.open(QIODevice::ReadOnly));
    const QString text = QString::fromUtf8(html.readAll());
    QCOMPARE(text.count("<svg"), 3); // the run, the spectrum, the worm's turn
    QVERIFY(text.contains("Periodic error") && text.contains("Where the error comes from"));
    QVERIFY(text.contains("″/min") && text.contains("±"));
    QVERIFY(!text.contains("http-equiv") && !text.contains("<script"));
    // What the report says is what the output says.
    const double peak = r.out["worm"]["peak_to_peak_arcsec"];
    QVERIFY2(text.contains(QString::number(peak, 'f', 1)), qPrintable(QString::number(peak)));
    double sum = 0.0;
    for (const auto& b : r.out["budget"])
        sum += double(b["share"]);
    QVERIFY(std::abs(sum - 1.0) < 0.001);
    // Not over the old one; and on paper.
    const auto again = tool({"analyse", in("f.ecsv"), "--report", in("f.html")});
    QCOMPARE(again.status, 1);
    QVERIFY(QString::fromStdString(again.out["problem"]["what"]).contains("exists already"));
    QCOMPARE(tool({"analyse", in("f.ecsv"), "--report", in("f.pdf")}).status, 0);
    QFile pdf(in("f.pdf"));
    QVERIFY(pdf.open(QIODevice::ReadOnly));
    QVERIFY(pdf.size() > 20000 && pdf.read(5) == "%PDF-");
    // Another program reads it: its text, and the outline with the page of each heading.
    const auto read = [&](const char* program, const QStringList& arguments) {
        QProcess other;
        other.start(program, arguments);
        return other.waitForFinished(-1) && other.readAllStandardError().isEmpty()
                   ? other.readAllStandardOutput()
                   : QByteArray();
    };
    const QByteArray words = read("pdftotext", {in("f.pdf"), "-"});
    QVERIFY2(words.contains("Peak to peak") || words.contains("peak to peak"), words.left(2000));
    const QByteArray outline = read("pdftohtml", {"-xml", "-i", "-stdout", in("f.pdf")});
    const qsizetype from = outline.indexOf("<outline>");
    QVERIFY2(from > 0, outline.right(2000));
    const QByteArray items = outline.mid(from, outline.lastIndexOf("</outline>") - from);
    const auto heading = QRegularExpression("<item page=\"(\\d+)\">([^<]+)</item>");
    auto it = heading.globalMatch(QString::fromUtf8(items));
    int headings = 0, page = 1;
    while (it.hasNext()) {
        const auto match = it.next();
        ++headings;
        QVERIFY(match.captured(1).toInt() >= page); // in order
        page = match.captured(1).toInt();
        const QByteArray onPage =
            read("pdftotext", {"-f", match.captured(1), "-l", match.captured(1), in("f.pdf"), "-"});
        QVERIFY2(onPage.simplified().contains(match.captured(2).toUtf8()), qPrintable(match.captured(2)));
    }
    QVERIFY2(headings >= 5 && page > 1, items);
    QCOMPARE(tool({"analyse", in("f.ecsv"), "--report", in("f.docx")}).status, 2);
    r = tool({"analyse", in("f.ecsv"), "--report", in("no/such/folder/f.html")});
    QCOMPARE(r.status, 1);
    QVERIFY(r.out["problem"]["what"].is_string());
}

void ToolTest::badRuns_data() {
    QTest::addColumn<QString>("header");
    QTest::addColumn<QString>("rows");
    QTest::addColumn<QString>("said");
    const QString t = "# - {name: t, unit: s, datatype: float64}\n";
    const QString ra = "# - {name: dra, unit: arcsec, datatype: float64}\n";
    const QString dec = "# - {name: ddec, unit: arcsec, datatype: float64}\n";
    QTest::newRow("no Dec") << t + ra << "t dra\n1 2\n"
                            << "no column \"ddec\"";
    QTest::newRow("radians") << t + QString(ra).replace("arcsec", "rad") + dec << "t dra ddec\n1 2 3\n"
                             << "is in rad";
    QTest::newRow("minutes") << QString(t).replace("unit: s", "unit: min") + ra + dec << "t dra ddec\n1 2 3\n"
                             << "is in min";
    QTest::newRow("backwards") << t + ra + dec << "t dra ddec\n2 1 1\n1 1 1\n"
                               << "Time does not advance";
    QTest::newRow("words") << t + ra + dec << "t dra ddec\n1 far off\n2 1 1\n"
                           << "not a number";
    QTest::newRow("few") << t + ra + dec << "t dra ddec\n1 1 1\n2 1 1\n3 1 1\n"
                         << "too short";
    QTest::newRow("empty") << t + ra + dec << "t dra ddec\n"
                           << "too short";
    QTest::newRow("no time") << t + ra + dec << "t dra ddec\n1 1 1\ninf 1 1\n"
                             << "has no time";
    QTest::newRow("years") << t + ra + dec << "t dra ddec\n0 0.1 0.2\n" + [] {
        QString rows;
        for (int i = 0; i < 50; ++i)
            rows += QString("%1 0.1 0.2\n").arg(1700000000LL + 2 * i);
        return rows;
    }() << "19676 days";
    QTest::newRow("no stars") << t + ra + dec << "t dra ddec\n" + [] {
        QString rows;
        for (int i = 0; i < 50; ++i)
            rows += QString("%1 nan nan\n").arg(i);
        return rows;
    }() << "0 usable rows";
}

void ToolTest::badRuns() {
    QFETCH(QString, header);
    QFETCH(QString, rows);
    QFETCH(QString, said);
    std::ofstream(in("bad.ecsv").toStdString()) << "# %ECSV 1.0\n# ---\n# datatype:\n"
                                                << header.toStdString() << rows.toStdString();
    const RunProgram r = tool({"analyse", in("bad.ecsv")});
    QCOMPARE(r.status, 1);
    QVERIFY2(r.raw.contains(QString(said).replace('"', "\\\"")), qPrintable(r.raw));
    QVERIFY(!std::string(r.out["problem"]["what"]).empty() &&
            !std::string(r.out["problem"]["what_to_do"]).empty());
}

void ToolTest::shortAndStillRunsSaySo() {
    // A mount without any error: no period is invented; a run of three minutes says what it cannot say.
    std::ofstream file(in("still.ecsv").toStdString());
    file << "# %ECSV 1.0\n# ---\n# datatype:\n# - {name: t, unit: s, datatype: float64}\n"
            "# - {name: dra, unit: arcsec, datatype: float64}\n# - {name: ddec, unit: arcsec, datatype: "
            "float64}\n"
            "t dra ddec\n";
    for (int i = 0; i < 400; ++i)
        file << 2 * i << ' ' << 0.4 * std::sin(12.9898 * i * i) << ' ' << 0.4 * std::sin(78.233 * i * i)
             << '\n';
    file.close();
    RunProgram r = tool({"analyse", in("still.ecsv")});
    QCOMPARE(r.status, 0);
    QVERIFY(r.out["periodic"].empty() && !r.out.contains("worm"));
    bool said = false;
    for (const auto& f : r.out["findings"])
        said |= f["id"] == "no-period";
    QVERIFY(said);
    r = tool({"analyse", in("still.ecsv"), "--worm-period", "700"});
    said = false;
    for (const auto& f : r.out["findings"])
        said |= f["id"] == "worm-too-short";
    QVERIFY(said && !r.out.contains("worm"));
}

void ToolTest::simulationIsRepeatable() {
    const QString scenario = SOURCE_DIR "/resources/demo/night.json";
    for (const char* name : {"a.ecsv", "b.ecsv"})
        QCOMPARE(
            tool({"simulate", scenario, "--minutes", "2", "--kind", "free", "--seed", "5", "--out", in(name)})
                .status,
            0);
    QFile a(in("a.ecsv"));
    QFile b(in("b.ecsv"));
    QVERIFY(a.open(QIODevice::ReadOnly) && b.open(QIODevice::ReadOnly));
    const QByteArray text = a.readAll();
    QCOMPARE(text, b.readAll());
    QVERIFY(text.count('\n') > 40);
    QCOMPARE(tool({"simulate", scenario, "--minutes", "2", "--kind", "free", "--out", in("a.ecsv")}).status,
             1); // never overwrites
}

void ToolTest::missingIndexFiles() {
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert("NORDSTJERNA_INDEX_PATH", dir_->path());
    const RunProgram r = tool({"solve", SOURCE_DIR "/tests/reference/data/stars.fits"}, environment);
    QCOMPARE(r.status, 1);
    QVERIFY(std::string(r.out["problem"]["what"]).find("index") != std::string::npos);
}

void ToolTest::replayAndTune() {
    const QString scenario = SOURCE_DIR "/resources/demo/night.json";
    RunProgram r = tool({"simulate", scenario, "--minutes", "20", "--kind", "guided", "--controller",
                         "proportional", "--out", in("p.ecsv")});
    QCOMPARE(r.status, 0);
    r = tool({"simulate", scenario, "--minutes", "20", "--kind", "guided", "--controller", "model", "--out",
              in("m.ecsv")});
    QCOMPARE(r.status, 0);
    r = tool({"replay", in("p.ecsv"), "--controller", "model", "--search"});
    QCOMPARE(r.status, 0);
    for (const char* key : {"ra_arcsec", "dec_arcsec", "total_arcsec", "mount_part_arcsec"})
        QVERIFY2(isMeasured(r.out["predicted"][key]), key);
    QVERIFY(r.out["recorded"]["total_arcsec"].is_number() &&
            isMeasured(r.out["recorded"]["mount_part_arcsec"]));
    QVERIFY(double(r.out["bound_arcsec"]["total"]) <
            double(r.out["predicted"]["total_arcsec"]["value"]) * 1.05);
    QCOMPARE(r.out["settings"]["ra"]["kind"].get<std::string>(), std::string("model"));
    QVERIFY(int(r.out["tried"]) > 500 && r.out["best"].contains("dec"));
    // Foretold from the one, got by the other.
    const RunProgram got = tool({"replay", in("m.ecsv")});
    QVERIFY2(std::abs(double(r.out["predicted"]["total_arcsec"]["value"]) /
                          double(got.out["recorded"]["total_arcsec"]) -
                      1.0) < 0.06,
             qPrintable(r.raw + got.raw));
    const RunProgram judged = tool({"analyse", in("p.ecsv")});
    QVERIFY(isMeasured(judged.out["mount_part_arcsec"]) && !judged.out["budget"].empty());
    double sum = 0.0;
    for (const auto& share : judged.out["budget"])
        sum += double(share["share"]);
    QVERIFY(std::abs(sum - 1.0) < 1e-3);
    // What cannot be had says so.
    r = tool({"replay", in("p.ecsv"), "--exposure", "0.3"});
    QCOMPARE(r.status, 1);
    QVERIFY(r.out.contains("problem"));
    r = tool({"replay", in("p.ecsv"), "--exposure", "4"});
    QVERIFY(r.status == 0 && r.out["frames"] == "joined");
    r = tool({"replay", in("p.ecsv"), "--exposure", "1"});
    QVERIFY(r.status == 0 && r.out["frames"] == "made");
    QVERIFY(double(r.out["bound_arcsec"]["total"]) > 0.1);
    QCOMPARE(tool({"replay", in("p.ecsv"), "--controller", "clairvoyant"}).status, 2);
    r = tool({"simulate", scenario, "--minutes", "12", "--kind", "guided", "--controller", "proportional",
              "--tuned", "--out", in("t.ecsv")});
    QCOMPARE(r.status, 0);
    QVERIFY(r.out["tuned"]["changes"].is_array() && isMeasured(r.out["tuned"]["proposed_total_arcsec"]));
}

void ToolTest::nightLog() {
    const QString data = in("data");
    QVERIFY(QDir().mkpath(data));
    // Nothing there yet: told, and nothing is made by looking.
    RunProgram r = tool({"night", "list", "--data", data});
    QCOMPARE(r.status, 1);
    QVERIFY(r.out.contains("problem") && !QFile::exists(data + "/night-log.sqlite"));
    namespace fs = std::filesystem;
    for (const char* folder : {"runs", "records"})
        fs::copy(fs::path(SOURCE_DIR "/resources/demo/past") / folder, fs::path(data.toStdString()) / folder,
                 fs::copy_options::recursive);
    r = tool({"night", "rebuild", "--data", data});
    QCOMPARE(r.status, 0);
    QCOMPARE(r.out.at("entries").get<int>(), 26);
    QCOMPARE(r.out.at("from_tables").get<int>(), 0);
    QVERIFY(r.out.at("left_out").empty());
    r = tool({"night", "list", "--data", data});
    QCOMPARE(r.out.at("nights").size(), size_t{7});
    QCOMPARE(QString::fromStdString(r.out.at("nights")[0].at("night")), QString("2026-10-09"));
    QVERIFY(r.out.at("nights")[0].at("best_rms_arcsec").get<double>() > 0.3);
    r = tool({"night", "show", "2026-10-04", "--data", data});
    QCOMPARE(r.out.at("entries").size(), size_t{4});
    const auto& guided = r.out.at("entries")[2];
    QCOMPARE(QString::fromStdString(guided.at("kind")), QString("guided"));
    QVERIFY(isMeasured(guided.at("figures").at("total_rms_arcsec")));
    QVERIFY(!guided.at("findings").empty());
    r = tool({"night", "show", "--search", "haze", "--data", data});
    QCOMPARE(r.out.at("entries").size(), size_t{1});
    QCOMPARE(tool({"night", "show", "2025-01-01", "--data", data}).status, 1);
    for (const char* name : {"night.html", "night.pdf"}) {
        r = tool({"night", "report", "2026-10-04", "--data", data, "--out", in(name)});
        QVERIFY2(r.status == 0, qPrintable(r.error));
        QVERIFY(QFileInfo(in(name)).size() > 20000);
        QCOMPARE(tool({"night", "report", "2026-10-04", "--data", data, "--out", in(name)}).status,
                 1); // never over
    }
    QCOMPARE(tool({"night"}).status, 2);
    QCOMPARE(tool({"simulate", SOURCE_DIR "/resources/demo/night.json", "--minutes", "5", "--kind", "series",
                   "--tuned", "--out", in("s.ecsv")})
                 .status,
             2); // not passed over in silence
    QCOMPARE(tool({"night", "report", "--data", data}).status, 2);
}

NORDSTJERNA_TEST(ToolTest)
#include "tool_test.moc"
