// The gear check on the simulated night: both sides of the meridian, both hemispheres, mirrored cameras,
// mounts that answer less one way.
#include <QtTest>

#include "core/findings/response_findings.h"
#include "core/procedure/gear_check.h"
#include "forwarding_mount.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

class GearNightTest : public QObject {
    Q_OBJECT
private slots:
    void isMeasured_data();
    void isMeasured();
    void oneMotor();
    void aDeadAxisIsToldSo();
};

namespace {

// Dec pulses do not arrive.
struct DeafMount final : ForwardingMount {
    explicit DeafMount(Mount& m) : ForwardingMount(m) {}
    Expected<void> pulse(double ra, double, const StopFlag& h) override { return mount.pulse(ra, 0.0, h); }
};

struct CheckedNight {
    std::optional<GearAnswer> answer;
    std::optional<Problem> problem;
    double decRate_arcsec_s = 0.0;
};

CheckedNight check(const Scenario& s, bool deaf = false) {
    SeriesNight n(s);
    CheckedNight c;
    if (const auto done = n.calibrate(s.parked.hourAngle.hours() > 0.0 ? 1.5 : -1.5); !done) {
        c.problem = done.error();
        return c;
    }
    DeafMount without(n.night.mount());
    if (deaf)
        n.devices.mount = &without;
    GearCheckSetup setup;
    setup.rig = s.rig;
    setup.calibration = *n.calibration;
    GearCheck gears(setup);
    if (const auto done = n.run(gears); !done)
        c.problem = done.error();
    c.answer = gears.answer();
    c.decRate_arcsec_s = gears.decRate_arcsec_s();
    return c;
}

} // namespace

void GearNightTest::isMeasured_data() {
    QTest::addColumn<bool>("west");
    QTest::addColumn<bool>("south");
    QTest::addColumn<bool>("mirrored");
    QTest::addColumn<double>("ra");
    QTest::addColumn<double>("dec");
    QTest::newRow("alike, east") << false << false << false << 0.0 << 0.0;
    QTest::newRow("less to the east; west, mirrored") << true << false << true << 0.08 << 0.0;
    QTest::newRow("less to the west; south") << false << true << false << -0.08 << 0.0;
    QTest::newRow("Dec less to the south; south, west") << true << true << true << 0.0 << 0.08;
}

void GearNightTest::isMeasured() {
    QFETCH(bool, west);
    QFETCH(bool, south);
    QFETCH(bool, mirrored);
    QFETCH(double, ra);
    QFETCH(double, dec);
    Scenario s = seriesScenario();
    s.guideMirrored = mirrored;
    s.pulseAsymmetryRa = ra;
    s.pulseAsymmetryDec = dec;
    s.decBacklash_arcsec = 4.0;
    if (west)
        s.parked.hourAngle = Angle::fromHours(2.0);
    if (south) {
        moveSouth(s);
        s.parked.dec = -s.parked.dec;
    }
    const CheckedNight c = check(s);
    QVERIFY2(!c.problem, c.problem ? c.problem->text().c_str() : "");
    QVERIFY(c.answer && c.answer->decTried);
    const auto near = [](const Measured& m, double truth, double enough) {
        const bool good =
            m.sigma < enough && std::abs(m.value - truth) < std::max(4.0 * m.sigma, 0.3 * enough);
        if (!good)
            qInfo("%.4f ± %.4f for %.4f", m.value, m.sigma, truth);
        return good;
    };
    qInfo("%.3f ± %.3f, %.3f ± %.3f", c.answer->westOverEast.value, c.answer->westOverEast.sigma,
          c.answer->northOverSouth.value, c.answer->northOverSouth.sigma);
    QVERIFY(near(c.answer->westOverEast, 2.0 * ra, 0.05));
    QVERIFY(near(c.answer->northOverSouth, 2.0 * dec, 0.05));
    QCOMPARE(c.answer->backlash_arcsec.size(), size_t(2));
    for (const Measured& gap : c.answer->backlash_arcsec)
        QVERIFY(near(gap, 4.0, 1.5));
    const auto list = gearFindings(*c.answer, c.decRate_arcsec_s);
    QCOMPARE(list.size(), size_t(3));
    QCOMPARE(list[0].headline.english(), ra > 0.0   ? std::string("RA answers less to the east")
                                         : ra < 0.0 ? std::string("RA answers less to the west")
                                                    : std::string("RA answers alike both ways"));
    QCOMPARE(list[1].headline.english(), dec > 0.0 ? std::string("Dec answers less to the south")
                                                   : std::string("Dec answers alike both ways"));
}

void GearNightTest::oneMotor() {
    Scenario s = seriesScenario();
    s.rig.mount.decMotor = false;
    const CheckedNight c = check(s);
    QVERIFY2(!c.problem, c.problem ? c.problem->text().c_str() : "");
    QVERIFY(c.answer && !c.answer->decTried);
    QCOMPARE(gearFindings(*c.answer, c.decRate_arcsec_s).size(), size_t(1));
}

void GearNightTest::aDeadAxisIsToldSo() {
    const CheckedNight c = check(seriesScenario(), true);
    QVERIFY(c.problem && c.problem->what.english().find("does not follow Dec pulses") != std::string::npos);
}

NORDSTJERNA_TEST(GearNightTest)
#include "gear_night_test.moc"
