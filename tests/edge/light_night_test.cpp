// Dew and cloud on the simulated night, as the loop sees them that guides through them.
#include <QtTest>

#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

class LightNightTest : public QObject {
    Q_OBJECT
private slots:
    void guidesThrough_data();
    void guidesThrough();
};

void LightNightTest::guidesThrough_data() {
    QTest::addColumn<QString>("what");
    QTest::addColumn<bool>("south");
    for (const char* what : {"clear", "dew", "cloud"})
        for (bool south : {false, true})
            QTest::addRow("%s, %s", what, south ? "south" : "north") << QString(what) << south;
}

void LightNightTest::guidesThrough() {
    QFETCH(QString, what);
    QFETCH(bool, south);
    Scenario s = seriesScenario();
    double sign = 1.0;
    if (south) {
        moveSouth(s);
        sign = -1.0;
    }
    // East in the north, west in the south.
    const HourAngleDec place{Angle::fromHours(south ? 0.8 : -1.2), Angle::fromDeg(sign * 25.0)};
    constexpr double begins_s = 1500.0, lasts_s = 3000.0;
    SeriesNight n(s);
    n.waitUntil("2026-10-14T20:30:00"); // it is dark on both
    const auto measured = n.calibrate(south ? 0.8 : -1.5, sign * 10.0);
    QVERIFY2(measured.has_value(), measured ? "" : measured.error().text().c_str());
    Slew there(s.rig, place, "");
    QVERIFY(n.run(there).has_value());
    const double now_s = n.night.clock().now() - s.start;
    if (what == "dew")
        n.night.happen(FaultKind::dew, 0.6, lasts_s);
    if (what == "dew")
        n.night.moveLastFault(now_s + begins_s);
    if (what == "cloud") // one after the other, of every thickness
        for (int k = 0; k < 12; ++k) {
            n.night.happen(FaultKind::cloud, 0.15 + 0.05 * (k * 5 % 9), 70.0 + 20.0 * (k % 4));
            n.night.moveLastFault(now_s + begins_s + 170.0 * k);
        }
    GuidingSetup g;
    g.rig = s.rig;
    g.exposure_s = 3.0;
    g.calibration = *n.calibration;
    g.length_s = begins_s + 1900.0;
    Guiding guiding(g);
    std::optional<SkyLight> before;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (!guiding.run().rows.empty() && guiding.run().rows.back().t_s < begins_s - 60.0)
            before = guiding.light().what;
    };
    const auto done = n.run(guiding, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(*before, SkyLight::clear);
    const LightVerdict& light = guiding.light();
    const QString words = QString("says %1, lost %2 ± %3 mag, rough %4, wider %5, sky %6")
                              .arg(static_cast<int>(light.what))
                              .arg(light.lost_mag.value)
                              .arg(light.lost_mag.sigma)
                              .arg(light.rough_mag)
                              .arg(light.wider)
                              .arg(light.skyBrighter);
    const SkyLight is = what == "dew" ? SkyLight::dew : what == "cloud" ? SkyLight::cloud : SkyLight::clear;
    QVERIFY2(light.what == is, qPrintable(words));
    if (what == "dew") // 0.6 of the light in 50 min: after half an hour 36 % are gone
        QVERIFY2(std::abs(light.lost_mag.value - 0.48) < 0.12, qPrintable(words));
}

NORDSTJERNA_TEST(LightNightTest)
#include "light_night_test.moc"
