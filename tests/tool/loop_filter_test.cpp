// The guide loop as a filter on lines of JSON: the contract of docs/tool.md, and a world of its own closed
// around it.
#include <QtTest>
#include <cmath>

#include "core/base/angle.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "registry.h"
#include "tool/loop_filter.h"

using namespace nordstjerna;

class LoopFilterTest : public QObject {
    Q_OBJECT
private slots:
    void setUpIsAnswered();
    void frameIsAnswered();
    void badLinesEndNothing_data();
    void badLinesEndNothing();
    void settingsChangeUnderWay();
    void aimIsReached();
    void lateWorldIsHeld();
    void reversedAxisIsStopped();
    void sameLinesSameAnswers();
};

namespace {

const char* const setUp =
    R"({"format":"nordstjerna-loop 1","exposure_s":2.0,"rates":{"ra_arcsec_s":7.5,"dec_arcsec_s":7.5},)"
    R"("pulse_limit_ms":{"ra":1500,"dec":1500},"pulse_resolution_ms":1,"worm_period_s":432.0,)"
    R"("declination_deg":42.0,"controller":{"ra":"model","dec":"model"}})";

Json frameAt(double t, double east, double north) {
    return {{"t", t}, {"east", east}, {"north", north}, {"sigma", 0.08}, {"snr", 80}, {"stars", 9}};
}

struct FilteredLoop {
    std::vector<double> east, north;  // where the star really stood
    double recentMotion_arcsec = 0.0; // of the last five minutes, both axes
    Json last;
    Json summary;
    std::string all; // every answer
};

// A mount of its own: a worm in RA, drift in Dec, white noise, pulses that come late.
FilteredLoop guide(double delay_s, double sense, double minutes, uint64_t seed = 1) {
    LoopFilter filter;
    filter.line(setUp);
    Random random(seed);
    FilteredLoop g;
    std::vector<std::array<double, 3>> pulses; // from, east, north
    for (double t = 0.0; t < 60.0 * minutes;) {
        const double exposure = 2.0;
        double east = 5.0 * std::sin(tau * t / 432.0);
        double north = 0.5 * t / 60.0;
        for (const auto& p : pulses) {
            const double share = std::clamp((t + exposure - p[0]) / exposure, 0.0, 1.0);
            east += share * p[1];
            north += share * p[2];
        }
        g.east.push_back(east);
        g.north.push_back(north);
        const auto answer = filter.line(
            frameAt(t + 0.5 * exposure, east + 0.4 * random.gaussian(), north + 0.4 * random.gaussian())
                .dump());
        g.last = *answer;
        filter.betweenLines();
        g.all += answer->dump() + "\n";
        const double ra = g.last["pulse_ra_ms"].get<double>();
        const double dec = g.last["pulse_dec_ms"].get<double>();
        t += exposure + 0.6 + 0.001 * std::max(std::abs(ra), std::abs(dec));
        pulses.push_back({t + delay_s, sense * 0.0075 * ra, -0.0075 * dec});
    }
    g.summary = filter.summary();
    const size_t frames = std::min(g.east.size(), size_t{115});
    const auto rms = [frames](const std::vector<double>& v) {
        return standardDeviation({v.data() + v.size() - frames, frames});
    };
    g.recentMotion_arcsec = std::hypot(rms(g.east), rms(g.north));
    return g;
}

double late(const std::vector<double>& v) {
    double squares = 0.0;
    for (size_t i = v.size() / 2; i < v.size(); ++i)
        squares += v[i] * v[i];
    return std::sqrt(squares / static_cast<double>(v.size() - v.size() / 2));
}

} // namespace

void LoopFilterTest::setUpIsAnswered() {
    LoopFilter filter;
    QCOMPARE(filter.line(setUp)->dump(), std::string(R"({"ready":true})"));
    // Nothing but format, exposure and rates is needed.
    LoopFilter bare;
    QCOMPARE(
        bare.line(
                R"({"format":"nordstjerna-loop 1","exposure_s":1,"rates":{"ra_arcsec_s":7,"dec_arcsec_s":-7}})")
            ->dump(),
        std::string(R"({"ready":true})"));
    // A wrong one is answered with a problem, and a right one may follow.
    LoopFilter late;
    QVERIFY(late.line(R"({"format":"nordstjerna-loop 9"})")->contains("problem"));
    QVERIFY(late.line(frameAt(1.0, 0.0, 0.0).dump())->contains("problem"));
    QVERIFY(late.line(setUp)->contains("ready"));
}

void LoopFilterTest::frameIsAnswered() {
    LoopFilter filter;
    filter.line(setUp);
    const Json a = *filter.line(
        R"({"t":12.31,"east":0.41,"north":-0.22,"sigma":0.08,"snr":80,"stars":9,"worm_turns":0.31})");
    QCOMPARE(a["t"].get<double>(), 12.31);
    for (const char* key : {"pulse_ra_ms", "pulse_dec_ms"})
        QVERIFY(a[key].is_number());
    // East of the aim: an east pulse brings it back, west pulses are positive.
    QVERIFY(a["pulse_ra_ms"].get<double>() <= 0.0);
    QVERIFY(a["state"] == "settling" || a["state"] == "acquiring");
    QCOMPARE(a["stopped"].get<std::string>(), std::string());
    for (const char* axis : {"east", "north"})
        QVERIFY(a["predicted"][axis]["value"].is_number() && a["predicted"][axis]["sigma"].is_number());
    for (const char* axis : {"ra", "dec"})
        for (const char* figure : {"gain", "delay_s"})
            QVERIFY(a["response"][axis][figure]["value"].is_number() &&
                    a["response"][axis][figure]["sigma"].is_number());
    QCOMPARE(a["worm_period_s"]["value"].get<double>(), 432.0);
    const Json lost = *filter.line(R"({"t":15,"lost":true})");
    QCOMPARE(lost["state"].get<std::string>(), std::string("lost"));
    QVERIFY(!filter.line("   "));
}

void LoopFilterTest::badLinesEndNothing_data() {
    QTest::addColumn<QString>("line");
    for (const char* line :
         {"{", "[]", "7", "null", "{}", R"({"t":"now","east":0,"north":0})", R"({"t":5,"east":0})",
          R"({"t":1e99,"east":0,"north":0})", R"({"t":5,"east":1e9,"north":0})", R"({"aim":{"east":1}})",
          R"({"aim":7})", R"({"set":{"colour":3}})", R"({"set":{"exposure_s":-1}})", R"({"set":3})",
          R"({"set":{"controller":"none"}})", R"({"t":5,"east":0,"north":0,"sigma":-1})",
          R"({"t":4,"east":0,"north":0})", "\xff\xfe"})
        QTest::newRow(line) << QString::fromLatin1(line);
}

void LoopFilterTest::badLinesEndNothing() {
    QFETCH(QString, line);
    LoopFilter filter;
    filter.line(setUp);
    filter.line(frameAt(4.5, 0.1, 0.1).dump());
    const auto answer = filter.line(line.toLatin1().toStdString());
    QVERIFY(answer && answer->contains("problem"));
    const Json& problem = (*answer)["problem"];
    QCOMPARE(problem["line"].get<int>(), 3);
    QVERIFY(!problem["what"].get<std::string>().empty() && !problem["why"].get<std::string>().empty() &&
            !problem["what_to_do"].get<std::string>().empty());
    QVERIFY(filter.line(frameAt(7.1, 0.1, 0.1).dump())->contains("pulse_ra_ms"));
}

void LoopFilterTest::settingsChangeUnderWay() {
    LoopFilter filter;
    filter.line(setUp);
    filter.line(frameAt(1.0, 0.0, 0.0).dump());
    QVERIFY(!filter.line(R"({"set":{"controller":{"ra":"proportional"},"loop_gain":0.5,"deadband_arcsec":0,)"
                         R"("smoothing":0,"pulse_resolution_ms":10,"exposure_s":5.0}})"));
    const Json a = *filter.line(frameAt(4.0, 1.0, 0.0).dump());
    // Half of 1″ at 7.5 ″/s, in steps of 10 ms.
    QCOMPARE(a["pulse_ra_ms"].get<double>(), -70.0);
}

void LoopFilterTest::aimIsReached() {
    LoopFilter filter;
    filter.line(setUp);
    double east = 0.0;
    double north = 0.0;
    double t = 0.0;
    for (int i = 0; i < 60; ++i) {
        if (i == 30) {
            QVERIFY(!filter.line(R"({"aim":{"east":6.0,"north":-4.0}})"));
            east -= 6.0;
            north += 4.0;
        }
        const Json a = *filter.line(frameAt(t += 2.6, east, north).dump());
        if (i == 30)
            QCOMPARE(a["state"].get<std::string>(), std::string("dithering"));
        east += 0.0075 * a["pulse_ra_ms"].get<double>();
        north -= 0.0075 * a["pulse_dec_ms"].get<double>();
    }
    QVERIFY2(std::abs(east) < 0.3 && std::abs(north) < 0.3,
             qPrintable(QString("%1 %2").arg(east).arg(north)));
}

void LoopFilterTest::lateWorldIsHeld() {
    for (double delay : {0.0, 2.6}) {
        const FilteredLoop g = guide(delay, 1.0, 40.0);
        QVERIFY2(late(g.east) < 0.25, qPrintable(QString("%1″ at %2 s").arg(late(g.east)).arg(delay)));
        QCOMPARE(g.last["state"].get<std::string>(), std::string("settled"));
        QVERIFY(std::abs(g.last["response"]["ra"]["delay_s"]["value"].get<double>() - delay) < 1.0);
        const Json& s = g.summary["summary"];
        QVERIFY(s["frames"].get<int>() > 800 && s["ra"]["rms_arcsec"].is_number() &&
                s["mount_part_arcsec"]["value"].is_number() && s["findings"].is_array());
        // As it goes: of the last five minutes, up to two minutes ago.
        const Json& now = g.last["mount_part_arcsec"];
        const double off = now["value"].get<double>() - g.recentMotion_arcsec;
        QVERIFY2(std::abs(off) < 3.0 * now["sigma"].get<double>(), qPrintable(QString::number(off)));
    }
}

void LoopFilterTest::reversedAxisIsStopped() {
    const FilteredLoop g = guide(0.0, -1.0, 5.0);
    QCOMPARE(g.last["state"].get<std::string>(), std::string("stopped"));
    QVERIFY(g.last["stopped"].get<std::string>().find("RA") == 0);
    QCOMPARE(g.last["pulse_ra_ms"].get<double>(), 0.0);
}

void LoopFilterTest::sameLinesSameAnswers() {
    QCOMPARE(guide(1.0, 1.0, 6.0, 4).all, guide(1.0, 1.0, 6.0, 4).all);
}

NORDSTJERNA_TEST(LoopFilterTest)
#include "loop_filter_test.moc"
