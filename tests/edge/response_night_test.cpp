// The response test on the simulated night: what pulses do, and how late, on mounts of which both are known.
#include <QtTest>
#include <deque>

#include "core/findings/response_findings.h"
#include "core/procedure/response_run.h"
#include "forwarding_mount.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

class ResponseNightTest : public QObject {
    Q_OBJECT
private slots:
    void isMeasured_data();
    void isMeasured();
    void aDeadAxisIsToldSo();
    void oneMotor();
};

namespace {

// Passes on a share of each pulse, so many pulses later.
struct SlowMount final : ForwardingMount {
    double share = 1.0;
    size_t late = 0; // pulses
    bool decDead = false;
    std::deque<std::pair<double, double>> waiting;
    explicit SlowMount(Mount& m) : ForwardingMount(m) {}
    Expected<void> pulse(double ra, double dec, const StopFlag& h) override {
        waiting.push_back({share * ra, decDead ? 0.0 : share * dec});
        if (waiting.size() <= late)
            return {};
        const auto [r, d] = waiting.front();
        waiting.pop_front();
        return mount.pulse(r, d, h);
    }
};

struct Tested {
    std::optional<Response> ra, dec;
    std::optional<Problem> problem;
    std::vector<Finding> findings;
};

Tested test(Scenario s, double share, size_t late, bool decDead = false) {
    SeriesNight n(s);
    Tested t;
    if (const auto done = n.calibrate(s.parked.hourAngle.hours() > 0.0 ? 1.5 : -1.5); !done) {
        t.problem = done.error();
        return t;
    }
    SlowMount slow(n.night.mount());
    slow.share = share;
    slow.late = late;
    slow.decDead = decDead;
    n.devices.mount = &slow;
    ResponseRunSetup setup;
    setup.rig = s.rig;
    setup.calibration = *n.calibration;
    ResponseRun run(setup);
    if (const auto done = n.run(run); !done)
        t.problem = done.error();
    t.ra = run.ra();
    t.dec = run.dec();
    t.findings = responseFindings(t.ra, t.dec, s.rig.mount.decMotor);
    return t;
}

bool has(const Tested& t, const char* id) {
    return std::any_of(t.findings.begin(), t.findings.end(), [id](const Finding& f) { return f.id == id; });
}

} // namespace

void ResponseNightTest::isMeasured_data() {
    QTest::addColumn<double>("share");
    QTest::addColumn<int>("late");
    QTest::addColumn<bool>("west");
    QTest::addColumn<bool>("mirrored");
    QTest::newRow("as it should be, east") << 1.0 << 0 << false << false;
    QTest::newRow("as it should be, west and mirrored") << 1.0 << 0 << true << true;
    QTest::newRow("two thirds arrive") << 0.66 << 0 << false << true;
    QTest::newRow("too much, west") << 1.4 << 0 << true << false;
    QTest::newRow("a pulse late") << 1.0 << 1 << false << false;
}

void ResponseNightTest::isMeasured() {
    QFETCH(double, share);
    QFETCH(int, late);
    QFETCH(bool, west);
    QFETCH(bool, mirrored);
    Scenario s = seriesScenario();
    s.guideMirrored = mirrored;
    if (west)
        s.parked.hourAngle = Angle::fromHours(2.0);
    const Tested t = test(s, share, static_cast<size_t>(late));
    QVERIFY2(!t.problem, t.problem ? t.problem->text().c_str() : "");
    QVERIFY(t.ra && t.dec);
    for (const Response* r : {&*t.ra, &*t.dec}) {
        const QString told = QString("× %1 ± %2, %3 ± %4 s late")
                                 .arg(r->gain.value)
                                 .arg(r->gain.sigma)
                                 .arg(r->delay_s.value)
                                 .arg(r->delay_s.sigma);
        QVERIFY2(std::abs(r->gain.value - share) < std::max(0.06, 4.0 * r->gain.sigma), qPrintable(told));
        // A pulse that waits for the next one comes about a frame later, with its way: 1.3 to 2.5 s.
        QVERIFY2(late ? r->delay_s.value > 0.8 && r->delay_s.value < 3.5 : r->delay_s.value < 0.7,
                 qPrintable(told));
    }
    QCOMPARE(has(t, "rates-off-ra"), share != 1.0);
    QCOMPARE(has(t, "rates-off-dec"), share != 1.0);
    QCOMPARE(has(t, "pulses-late"), late > 0);
    QVERIFY(!has(t, "response-none"));
}

void ResponseNightTest::aDeadAxisIsToldSo() {
    const Tested t = test(seriesScenario(), 1.0, 0, true);
    QVERIFY2(!t.problem, t.problem ? t.problem->text().c_str() : "");
    QVERIFY(t.ra && !t.dec);
    QVERIFY(has(t, "response-none"));
}

void ResponseNightTest::oneMotor() {
    Scenario s = seriesScenario();
    s.rig.mount.decMotor = false;
    const Tested t = test(s, 1.0, 0);
    QVERIFY2(!t.problem, t.problem ? t.problem->text().c_str() : "");
    QVERIFY(t.ra && !t.dec);
    QVERIFY(!has(t, "response-none"));
}

NORDSTJERNA_TEST(ResponseNightTest)
#include "response_night_test.moc"
