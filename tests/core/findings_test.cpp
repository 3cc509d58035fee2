// Rules that turn results into words.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/findings/guide_findings.h"
#include "core/findings/motion_findings.h"
#include "core/findings/pole_findings.h"
#include "core/findings/rig_findings.h"
#include "core/findings/series_findings.h"
#include "registry.h"

using namespace nordstjerna;

namespace {
Rig rig() {
    Rig r;
    r.imagingCamera = {4.2, 5000, 3400};
    r.imagingOptics = {610, 111};
    r.guideCamera = {3.0, 1920, 1200};
    r.guideOptics = {240, 50};
    r.site.latitude = Angle::fromDeg(58.35);
    return r;
}

bool has(const std::vector<Finding>& list, const std::string& id) {
    return std::any_of(list.begin(), list.end(), [&](const Finding& f) { return f.id == id; });
}
} // namespace

class FindingsTest : public QObject {
    Q_OBJECT
private slots:
    void goodRigIsLeftInPeace();
    void apertureInPlaceOfFocalLength();
    void fineGuideScale();
    void shortGuideScope();
    void guideRateOfTheMount();
    void pulseLongerThanExposure();
    void poleOffTheMark();
    void poleGoodEnough();
    void aLeverMayNotReach();
    void aFastGearIsNamed();
    void overCorrectionIsSeen();
    void slowWanderIsSeen();
    void heaviestFirst();
    void everyFindingSaysWhatToDo();
    void ovalStarsInWholeSentences();
};

void FindingsTest::goodRigIsLeftInPeace() {
    QVERIFY(rigFindings(rig()).empty());
}

void FindingsTest::apertureInPlaceOfFocalLength() {
    Rig r = rig();
    r.guideOptics.focal_mm = 50; // f/1
    const auto list = rigFindings(r);
    QVERIFY(has(list, "guide-focal-suspicious"));
    QCOMPARE(list.front().weight, Weight::act);
}

void FindingsTest::fineGuideScale() {
    Rig r = rig();
    r.guideOptics = {2000, 200};
    const auto list = rigFindings(r);
    QVERIFY(has(list, "guide-scale-fine"));
    QVERIFY(list.front().remedy.english().find("2 ×") != std::string::npos);
}

void FindingsTest::shortGuideScope() {
    Rig r = rig();
    r.guideOptics = {50, 20};
    QVERIFY(has(rigFindings(r), "guide-scope-short"));
    // Rigs that work: 200 mm beside 2000 mm, and 6.0 ″/px beside 1.34 ″/px.
    QVERIFY(!has(scaleFindings(3.9, 0.39), "guide-scope-short"));
    QVERIFY(!has(scaleFindings(6.0, 1.34), "guide-scope-short"));
}

// What the mount tells of itself against what was typed.
void FindingsTest::guideRateOfTheMount() {
    MountSpec mount;
    QVERIFY(guideRateFindings(mount, std::nullopt, std::nullopt).empty());
    QVERIFY(guideRateFindings(mount, 0.5, 0.505).empty());
    const auto list = guideRateFindings(mount, 0.9, 0.5);
    QCOMPARE(list.size(), size_t{1});
    QVERIFY(list.front().action == ActionId::takeGuideRates);
    QVERIFY(list.front().evidence.english().find("0.90") != std::string::npos);
    QVERIFY(list.front().evidence.english().find("Dec") == std::string::npos);
    mount.decMotor = false; // nobody sends pulses to it
    QVERIFY(guideRateFindings(mount, 0.5, 0.9).empty());
}

void FindingsTest::pulseLongerThanExposure() {
    Rig r = rig();
    r.guiding.pulseLimit_ms = 2500;
    const auto list = rigFindings(r);
    QVERIFY(has(list, "pulse-limit-long"));
    QVERIFY(list.front().action == ActionId::shortenPulseLimit);
}

namespace {
PoleError errorOf(double east, double high, double sigma, AxisFit& fit) {
    const Rig r = rig();
    fit.axis = axisWithError(r.site, PoleReference::refracted, east, high);
    fit.covariance = Eigen::Matrix2d::Identity() * std::pow(60.0 * sigma, 2);
    fit.span_deg = 60;
    return poleError(fit, r.site, PoleReference::refracted);
}
} // namespace

void FindingsTest::poleOffTheMark() {
    AxisFit fit;
    const PoleError e = errorOf(1.0, 9.0, 0.1, fit);
    const auto list = poleFindings(e, fit, rig(), {2.0, {Angle::fromHours(-4), Angle::fromDeg(42)}});
    QCOMPARE(list.front().id, std::string("pole-off"));
    QCOMPARE(list.front().weight, Weight::act);
    QVERIFY(list.front().remedy.english().find("Lower the polar axis by 9.0′") != std::string::npos);
    QVERIFY(list.front().evidence.english().find("″/min") != std::string::npos);
}

void FindingsTest::poleGoodEnough() {
    AxisFit fit;
    const PoleError e = errorOf(0.4, -0.6, 0.05, fit);
    const auto list = poleFindings(e, fit, rig(), {2.0, {Angle::fromHours(-4), Angle::fromDeg(42)}});
    QVERIFY(has(list, "pole-good") && !has(list, "pole-off") && !has(list, "pole-vague"));
    const PoleError vague = errorOf(0.4, -0.6, 0.9, fit);
    QVERIFY(has(poleFindings(vague, fit, rig(), {2.0, {}}), "pole-vague"));
}

namespace {
// First-order series with the given correlation of successive errors.
Run guidedRun(double correlation, double size) {
    Random random(4);
    Run run;
    run.meta.kind = RunKind::guided;
    run.meta.imageScale_arcsec_px = 1.42;
    double ra = 0.0;
    for (int i = 0; i < 800; ++i) {
        RunRow r;
        r.t_s = 2.3 * i;
        ra = correlation * ra + std::sqrt(1 - correlation * correlation) * size * random.gaussian();
        r.dra_arcsec = ra;
        r.ddec_arcsec = 0.4 * random.gaussian();
        run.rows.push_back(r);
    }
    return run;
}
} // namespace

void FindingsTest::aLeverMayNotReach() {
    AxisFit fit;
    fit.axis = elevatedPole(rig().site, true);
    PoleError e;
    e.total_arcmin = {70.0, 0.1};
    // 70′ on the sky are 133′ on the ground at 58.35°.
    e.east_arcmin = {-70.0, 0.1};
    const auto list = poleFindings(e, fit, rig(), {2.0, {}});
    const auto far =
        std::find_if(list.begin(), list.end(), [](const Finding& f) { return f.id == "pole-far"; });
    QVERIFY(far != list.end());
    QVERIFY2(far->evidence.english().find("2.2°") != std::string::npos, far->evidence.english().c_str());
    e.east_arcmin = {-40.0, 0.1};
    QVERIFY(!has(poleFindings(e, fit, rig(), {2.0, {}}), "pole-far"));
    e.high_arcmin = {120.0, 0.1};
    QVERIFY(has(poleFindings(e, fit, rig(), {2.0, {}}), "pole-far"));
}

void FindingsTest::aFastGearIsNamed() {
    PeriodicResult ra;
    ra.worm.emplace();
    ra.worm->cycles = 3.0;
    ra.worm->peakToPeak_arcsec = {40.0, 1.0};
    ra.worm->maxRate_arcsec_s = {0.52, 0.03};
    auto list = periodicFindings(ra, 1500.0, 430.0, 1.4);
    const auto fast =
        std::find_if(list.begin(), list.end(), [](const Finding& f) { return f.id == "gear-fast"; });
    QVERIFY(fast != list.end());
    QVERIFY2(fast->evidence.english().find("1.0″") != std::string::npos, fast->evidence.english().c_str());
    QVERIFY2(fast->remedy.english().find("1.2 s") != std::string::npos, fast->remedy.english().c_str());
    QVERIFY(!has(periodicFindings(ra, 1500.0, 430.0, 1.4, {}, true), "gear-fast")); // what guiding left
    ra.worm->maxRate_arcsec_s = {0.31, 0.03};                                       // not beyond its ±
    QVERIFY(!has(periodicFindings(ra, 1500.0, 430.0, 1.4), "gear-fast"));
}

void FindingsTest::overCorrectionIsSeen() {
    const Run run = guidedRun(-0.5, 0.4);
    const auto list = guideFindings(run, *summarise(run), nullptr);
    QVERIFY(has(list, "ra-loop-over") && !has(list, "dec-loop-over"));
}

void FindingsTest::slowWanderIsSeen() {
    const Run run = guidedRun(0.95, 1.2);
    const auto list = guideFindings(run, *summarise(run), nullptr);
    QVERIFY(has(list, "ra-loop-under") && has(list, "not-round"));
    Run plain = guidedRun(0.0, 0.4);
    const auto calm = guideFindings(plain, *summarise(plain), nullptr);
    QVERIFY(has(calm, "rms-good") && !has(calm, "ra-loop-under"));
}

void FindingsTest::heaviestFirst() {
    std::vector<Finding> list{{"a", Weight::know, "", "", "", {}, ""},
                              {"b", Weight::act, "", "", "", {}, ""},
                              {"c", Weight::look, "", "", "", {}, ""}};
    rank(list);
    QCOMPARE(list[0].id, std::string("b"));
    QCOMPARE(list[2].id, std::string("a"));
}

void FindingsTest::everyFindingSaysWhatToDo() {
    Rig r = rig();
    r.guideOptics = {2000, 2000};
    r.guiding.pulseLimit_ms = 9000;
    r.mount.encoderRa = r.mount.encoderDec = true;
    for (const Finding& f : rigFindings(r)) {
        QVERIFY(!f.headline.empty() && !f.evidence.empty() && !f.remedy.empty());
        QVERIFY(f.headline.english().find('!') == std::string::npos);
    }
}

// A figure, a space, and what explains it.
void FindingsTest::ovalStarsInWholeSentences() {
    SeriesStory story;
    story.oval = OvalReport{true, 1.2, {}, {}, 30.0, 5, {}};
    const std::string shape = "Elongation 1.20 at position angle 30° over 5 frames. ";
    QCOMPARE(seriesFindings({}, story).front().evidence.english(),
             shape + "Neither guiding nor flexure explains it.");
    story.oval->causes = {{OvalCause::guidedRa, 0.8}};
    QCOMPARE(seriesFindings({}, story).front().evidence.english(),
             shape + "The loop's own error accounts for 80 %.");
}

NORDSTJERNA_TEST(FindingsTest)
#include "findings_test.moc"
