// Framing: footprints, turning, the offset of the guide camera, the Moon and the hours of a target.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/focus/heat.h"
#include "core/rig/framing.h"
#include "core/sky/moon.h"
#include "core/sky/object_catalogue.h"
#include "core/sky/target_night.h"
#include "reference_data.h"
#include "registry.h"

using namespace nordstjerna;

namespace {
SolvedFrame frameAt(const Vec3& centre, double roll_deg, bool mirrored, double scale_arcsec, int width,
                    int height) {
    SolvedFrame f;
    f.width = width;
    f.height = height;
    f.plane.centre = centre;
    f.plane.reference = {0.5 * (width - 1), 0.5 * (height - 1)};
    const double s = Angle::fromArcsec(scale_arcsec).rad();
    const double r = roll_deg * M_PI / 180.0;
    // ξ east and η north of steps along +x and +y; east is on the left where the picture is not mirrored.
    const double x = mirrored ? 1.0 : -1.0;
    f.plane.cd << x * s * std::cos(r), s * std::sin(r), -x * s * std::sin(r), s * std::cos(r);
    return f;
}
} // namespace

class FramingTest : public QObject {
    Q_OBJECT
private slots:
    void footprintAgreesWithSolvedFrames();
    void turning_data();
    void turning();
    void guideOffsetLeadsBack();
    void guideOffsetAfterATurn();
    void moonAgainstAstropy();
    void riseAndSetAgainstAstropy();
    void hoursOfATarget();
    void heatSlopeIsHonest();
    void objectsAround();
};

// The corners of a footprint are where the tangent plane puts the corners of the frame.
void FramingTest::footprintAgreesWithSolvedFrames() {
    Random random(3);
    for (int i = 0; i < 60; ++i) {
        const Vec3 centre = vectorFrom(
            Equatorial{Angle::fromDeg(random.uniform(0, 360)), Angle::fromDeg(random.uniform(-80, 80))});
        const bool mirrored = i % 2;
        const SolvedFrame f = frameAt(centre, random.uniform(-180, 180), mirrored, 1.4, 5000, 3400);
        QCOMPARE(f.plane.mirrored(), mirrored);
        const Footprint print{centre, f.plane.roll().deg(), mirrored, 5000 * 1.4 / 3600.0,
                              3400 * 1.4 / 3600.0};
        const auto corners = print.corners();
        const Pixel px[] = {{-0.5, -0.5}, {4999.5, -0.5}, {4999.5, 3399.5}, {-0.5, 3399.5}};
        for (int k = 0; k < 4; ++k) {
            // tan of half a degree is not half a degree: some arcseconds at the corner.
            const double off = separation(corners[static_cast<size_t>(k)], f.plane.skyAt(px[k])).arcsec();
            QVERIFY2(off < 2.0, qPrintable(QString::number(off)));
        }
        QVERIFY(print.holds(centre));
        QVERIFY(print.holds(f.plane.skyAt({100, 100})));
        QVERIFY(!print.holds(f.plane.skyAt({-100, 100})));
        QVERIFY(!print.holds(-centre));
    }
}

void FramingTest::turning_data() {
    QTest::addColumn<double>("lies");
    QTest::addColumn<double>("wanted");
    QTest::addColumn<bool>("mirrored");
    QTest::addColumn<double>("turn");
    QTest::addColumn<bool>("flipped");
    QTest::newRow("smaller angle") << 92.0 << 58.0 << false << 34.0 << false;
    QTest::newRow("larger angle") << 10.0 << 30.0 << false << -20.0 << false;
    QTest::newRow("mirrored") << 10.0 << 30.0 << true << 20.0 << false;
    QTest::newRow("upside down") << 10.0 << 190.0 << false << 0.0 << true;
    QTest::newRow("nearly upside down") << 10.0 << 180.0 << false << 10.0 << true;
    QTest::newRow("over north") << 350.0 << 10.0 << false << -20.0 << false;
    QTest::newRow("quarter") << 0.0 << 89.0 << false << -89.0 << false;
}

void FramingTest::turning() {
    QFETCH(double, lies);
    QFETCH(double, wanted);
    QFETCH(bool, mirrored);
    QFETCH(double, turn);
    QFETCH(bool, flipped);
    const TurnAdvice a = turnTo(lies, wanted, mirrored);
    QVERIFY2(std::abs(a.turn_deg - turn) < 1e-9, qPrintable(QString::number(a.turn_deg)));
    QCOMPARE(a.flipped, flipped);
    QVERIFY(turnWords(a).english().find(turn >= 0.0 ? " clockwise" : "anticlockwise") != std::string::npos);
}

// The guide camera stays where it is when the imaging camera alone turns.
void FramingTest::guideOffsetAfterATurn() {
    Random random(9);
    Rig rig;
    rig.imagingCamera = {4.2, 5000, 3400, 1, 16, 1.0, 3.0, 50000.0};
    rig.imagingOptics = {610.0, 111.0, 1.0};
    rig.guideCamera = {3.0, 1920, 1200, 1, 16, 1.0, 3.0, 50000.0};
    rig.guideOptics = {240.0, 50.0, 1.0};
    for (int i = 0; i < 200; ++i) {
        const bool mirrored = i & 1;
        const GuideOffset offset{random.uniform(-40, 40), random.uniform(-40, 40), random.uniform(-179, 179)};
        const Vec3 centre = vectorFrom(
            Equatorial{Angle::fromDeg(random.uniform(0, 360)), Angle::fromDeg(random.uniform(-70, 70))});
        const double roll = random.uniform(-180, 180), turned = random.uniform(-170, 170);
        const Footprint before = guideFootprint(rig, offset, imagingFootprint(rig, centre, roll, mirrored));
        const Footprint after = guideFootprint(rig, offsetAfterTurn(offset, turned, mirrored),
                                               imagingFootprint(rig, centre, roll + turned, mirrored));
        QVERIFY(separation(before.centre, after.centre).arcsec() < 1.0);
        QVERIFY(std::abs(std::remainder(before.angle_deg - after.angle_deg, 360.0)) < 0.01);
    }
}

void FramingTest::guideOffsetLeadsBack() {
    Random random(4);
    Rig rig;
    rig.imagingCamera = {4.2, 5000, 3400, 1, 16, 1.0, 3.0, 50000.0};
    rig.imagingOptics = {610.0, 111.0, 1.0};
    rig.guideCamera = {3.0, 1920, 1200, 1, 16, 1.0, 3.0, 50000.0};
    rig.guideOptics = {240.0, 50.0, 1.0};
    for (int i = 0; i < 200; ++i) {
        const bool mirrored = i % 3 == 0;
        const GuideOffset truth{random.uniform(-90, 90), random.uniform(-90, 90), random.uniform(-179, 179)};
        const auto look = [&](const Vec3& centre, double roll) {
            const Footprint im = imagingFootprint(rig, centre, roll, mirrored);
            const Footprint g = guideFootprint(rig, truth, im);
            return std::pair(frameAt(centre, roll, mirrored, 206.264806 * 4.2 / 610.0, 5000, 3400),
                             frameAt(g.centre, g.angle_deg, mirrored, 206.264806 * 3.0 / 240.0, 1920, 1200));
        };
        // Measured in one place, it holds in another, on the other side of the pier too.
        const Vec3 centre = vectorFrom(
            Equatorial{Angle::fromDeg(random.uniform(0, 360)), Angle::fromDeg(random.uniform(-70, 70))});
        const auto [im, g] = look(centre, random.uniform(-180, 180));
        const GuideOffset found = guideOffset(im.plane, g.plane);
        QVERIFY(std::abs(found.right_arcmin - truth.right_arcmin) < 0.03);
        QVERIFY(std::abs(found.up_arcmin - truth.up_arcmin) < 0.03);
        QVERIFY(std::abs(std::remainder(found.turn_deg - truth.turn_deg, 360.0)) < 0.02);
        const Footprint back = guideFootprint(
            rig, found, imagingFootprint(rig, im.plane.centre, im.plane.roll().deg(), mirrored));
        QVERIFY(separation(back.centre, g.plane.centre).arcsec() < 2.0);
        // Elsewhere on the sky the picture of both together is the same, however the meridians run there.
        const auto [im2, g2] = look(vectorFrom(Equatorial{Angle::fromDeg(random.uniform(0, 360)),
                                                          Angle::fromDeg(random.uniform(-80, 80))}),
                                    random.uniform(-180, 180));
        QVERIFY(std::abs(separation(im2.plane.centre, g2.plane.centre).arcsec() -
                         separation(im.plane.centre, g.plane.centre).arcsec()) < 0.01);
        const auto cornerSeen = [](const SolvedFrame& from, const SolvedFrame& of) {
            return *from.plane.pixelAt(of.plane.skyAt({0.0, 0.0}));
        };
        const Pixel here = cornerSeen(im, g);
        const Pixel there = cornerSeen(im2, g2);
        QVERIFY(std::hypot(here.x - there.x, here.y - there.y) < 0.01);
    }
}

void FramingTest::moonAgainstAstropy() {
    const auto data = referenceData("almanac");
    QVERIFY(data.size() >= 5);
    for (const auto& j : data) {
        Site site;
        site.latitude = Angle::fromDeg(j["latitude"]);
        site.longitude = Angle::fromDeg(j["longitude"]);
        const Instant when = *parseInstant(j["when"].get<std::string>());
        const MoonSeen moon = moonAt(site, when);
        const AltAz a = altAzFrom(moon.enu);
        QVERIFY2(std::abs(a.altitude.deg() - double(j["altitude"])) < 0.1,
                 j["when"].get<std::string>().c_str());
        QVERIFY(std::abs(std::remainder(a.azimuth.deg() - double(j["azimuth"]), 360.0)) * cos(a.altitude) <
                0.1);
        QVERIFY(std::abs(moon.lit - double(j["lit"])) < 0.005);
        const Vec3 target = vectorFrom(Equatorial{Angle::fromDeg(35.639224), Angle::fromDeg(42.349146)});
        QVERIFY(std::abs(separation(moon.icrs, target).deg() - double(j["away"])) < 0.15);
    }
    // New on 10 October and full on 26 October 2026.
    QVERIFY(moonAt(Site{}, *parseInstant("2026-10-18T12:00:00")).waxing);
    QVERIFY(!moonAt(Site{}, *parseInstant("2026-11-02T12:00:00")).waxing);
}

// Where the Moon's centre and a star pass an altitude, to half a minute.
void FramingTest::riseAndSetAgainstAstropy() {
    for (const auto& j : referenceData("almanac")) {
        Site site;
        site.latitude = Angle::fromDeg(j["latitude"]);
        site.longitude = Angle::fromDeg(j["longitude"]);
        site.pressure_hpa = 0.0; // as the reference: without air
        const Instant when = *parseInstant(j["when"].get<std::string>());
        const Vec3 target = vectorFrom(Equatorial{Angle::fromDeg(35.639224), Angle::fromDeg(42.349146)});
        const auto crossing = [](auto&& altitude, Instant near) {
            Instant low = near + -900.0;
            Instant high = near + 900.0;
            const bool rises = altitude(high) > altitude(low);
            while (high - low > 1.0) {
                const Instant middle = low + 0.5 * (high - low);
                ((altitude(middle) > 0.0) == rises ? high : low) = middle;
            }
            return low;
        };
        for (const auto& c : j["crossings"]) {
            const Instant wanted = when + double(c["after_s"]);
            const auto altitude = [&](Instant t) { return altAzFrom(moonAt(site, t).enu).altitude.deg(); };
            QCOMPARE(altitude(wanted + 600.0) > altitude(wanted + -600.0), c["rises"].get<bool>());
            const double off = std::abs(crossing(altitude, wanted) - wanted);
            QVERIFY2(off < 30.0, qPrintable(QString("%1 s").arg(off)));
        }
        for (const auto& c : j["star"]) {
            const Instant wanted = when + double(c["after_s"]);
            const auto altitude = [&](Instant t) {
                return altAzFrom(ObservedFrame(site, t).seen(target)).altitude.deg() - 25.0;
            };
            const double off = std::abs(crossing(altitude, wanted) - wanted);
            QVERIFY2(off < 30.0, qPrintable(QString("%1 s").arg(off)));
        }
    }
}

void FramingTest::hoursOfATarget() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    site.longitude = Angle::fromDeg(11.2);
    const auto night = nightAround(site, *parseInstant("2026-10-14T20:00:00"));
    QVERIFY(night.has_value());
    const auto place = [](double ra, double dec) {
        return vectorFrom(Equatorial{Angle::fromDeg(ra), Angle::fromDeg(dec)});
    };
    const auto galaxy = targetNight(site, {}, place(35.639, 42.349), night, 25.0);
    QVERIFY(galaxy && galaxy->best);
    QVERIFY(galaxy->best->from >= *night->astronomicalEnd && galaxy->best->to <= *night->astronomicalStart);
    QVERIFY(galaxy->highest_deg > 73.0 && galaxy->highest_deg < 75.0); // 90° − 58.35° + 42.35°
    // A wall in the east takes the first hours.
    const HorizonProfile wall({{Angle::fromDeg(60), Angle::fromDeg(0)},
                               {Angle::fromDeg(60), Angle::fromDeg(150)},
                               {Angle::fromDeg(0), Angle::fromDeg(151)},
                               {Angle::fromDeg(0), Angle::fromDeg(359)}});
    const auto later = targetNight(site, wall, place(35.639, 42.349), night, 25.0);
    QVERIFY(later && later->best && later->best->from > galaxy->best->from);
    QVERIFY(later->darkHours < galaxy->darkHours);
    // Never up, and always up.
    const auto never = targetNight(site, {}, place(161.3, -59.7), night, 25.0);
    QVERIFY(never && never->free.empty() && !never->best && never->darkHours == 0.0);
    const auto always = targetNight(site, {}, place(0.0, 89.0), night, 25.0);
    QVERIFY(always && always->free.size() == 1);
    // From the south it is the other way round.
    Site south = site;
    south.latitude = Angle::fromDeg(-33.0);
    const auto southern = targetNight(south, {}, place(84.0, -69.0),
                                      nightAround(south, *parseInstant("2026-10-14T12:00:00")), 25.0);
    QVERIFY(southern && southern->best);
    // No night, no hours.
    QVERIFY(!targetNight(site, {}, place(0, 0), std::nullopt).has_value());
}

void FramingTest::heatSlopeIsHonest() {
    Random random(6);
    int within = 0;
    constexpr int n = 400;
    for (int i = 0; i < n; ++i) {
        const double slope = random.uniform(-30, 30);
        const double sigma = random.uniform(1.0, 8.0);
        std::vector<FocusedOnce> runs;
        const int count = 4 + i % 7;
        for (int k = 0; k < count; ++k) {
            const double t = 10.0 - 6.0 * k / (count - 1);
            runs.push_back({Instant{}, {8000.0 + slope * t + sigma * random.gaussian(), sigma}, t});
        }
        const auto h = heatSlope(runs);
        QVERIFY(h.has_value());
        within += std::abs(h->steps_c.value - slope) < h->steps_c.sigma;
    }
    QVERIFY2(within > 0.60 * n && within < 0.76 * n, qPrintable(QString::number(within)));
    QVERIFY(!heatSlope({{Instant{}, {1, 1}, 5.0}, {Instant{}, {2, 1}, 5.2}, {Instant{}, {3, 1}, 5.4}}));
}

void FramingTest::objectsAround() {
    const auto catalogue = ObjectCatalogue::parse("A 1\tspiral galaxy\t10\t10\t9.0\t3x2\n"
                                                  "B 2\tstar\t10.2\t10.1\t2.0\t\n"
                                                  "C 3\tbright nebula\t10.1\t9.9\t\t40x30\n"
                                                  "D 4\tgalaxy\t10.1\t10.2\t17\t1\n"
                                                  "E 5\tgalaxy\t30\t10\t9\t1\n");
    QVERIFY(catalogue.has_value());
    const auto near = catalogue->around(vectorFrom(Equatorial{Angle::fromDeg(10), Angle::fromDeg(10)}),
                                        Angle::fromDeg(2), 15.0);
    QCOMPARE(near.size(), size_t(3));
    QCOMPARE(near[0]->names[0], std::string("A 1"));
    QCOMPARE(near[2]->names[0], std::string("B 2")); // stars last
    QVERIFY(ObjectCatalogue().around(Vec3::UnitX(), Angle::fromDeg(180), 99).empty());
}

NORDSTJERNA_TEST(FramingTest)
#include "framing_test.moc"
