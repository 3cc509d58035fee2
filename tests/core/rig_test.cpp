// Scales, fields and dither arithmetic against worked examples of the trade.
#include <QtTest>
#include <cmath>

#include "core/rig/rig_answers.h"
#include "core/rig/rig_changes.h"
#include "core/rig/scales.h"
#include "registry.h"

using namespace nordstjerna;

class RigTest : public QObject {
    Q_OBJECT
private slots:
    void scaleConstant();
    void ditherWithGuideScope();
    void ditherOffAxis();
    void fineScaleBinned();
    void reducer();
    void focalLengthFromScale();
    void suggestedStepMovesTheWantedWay();
    void impossibleRigsAreNamed();
    void offAxisNeedsNoGuideScope();
    void changesOfARigInWords();
    void threeAnswersMakeARig();
};

namespace {
Rig good() {
    Rig r;
    r.imagingCamera = {4.2, 5000, 3400};
    r.imagingOptics = {610, 111};
    r.guideCamera = {3.0, 1920, 1200};
    r.guideOptics = {240, 50};
    return r;
}
} // namespace

void RigTest::scaleConstant() {
    // 206.264806 ″ per mrad, definition.
    QVERIFY(std::abs(scaleArcsecPx(1.0, 1.0) - 206.264806) < 1e-6);
    // ERFA/IAU: one sidereal day of 86164.0905 s for a full turn.
    QVERIFY(std::abs(siderealRate_arcsec_s - 1296000.0 / 86164.0905) < 1e-5);
}

void RigTest::ditherWithGuideScope() {
    // Common practice, worked example: 2.9 µm at 447 mm: 1.338 ″/px; 5.86 µm at 200 mm: 6.04 ″/px;
    // ratio 4.516; 2 guide px = 9.0, 3 = 13.5 imaging px.
    const Scales s{scaleArcsecPx(5.86, 200), scaleArcsecPx(2.9, 447)};
    QVERIFY(std::abs(s.image_arcsec_px - 1.338) < 0.001);
    QVERIFY(std::abs(s.guide_arcsec_px - 6.04) < 0.01);
    QVERIFY(std::abs(s.ratio() - 4.516) < 0.001);
    QVERIFY(std::abs(ditherImagingPx(s, 2) - 9.0) < 0.05);
    QVERIFY(std::abs(ditherImagingPx(s, 3) - 13.5) < 0.06);
    QVERIFY(std::abs(ditherGuidePx(s, ditherImagingPx(s, 2.7)) - 2.7) < 1e-12);
}

void RigTest::ditherOffAxis() {
    // Common practice: 3.76 and 5.86 µm at 1280 mm: ratio 1.5585; 10 imaging px = 6.4 guide px, 7 give 10.9.
    const Scales s{scaleArcsecPx(5.86, 1280), scaleArcsecPx(3.76, 1280)};
    QVERIFY(std::abs(s.ratio() - 1.5585) < 0.0001);
    QVERIFY(std::abs(ditherGuidePx(s, 10) - 6.4) < 0.05);
    QVERIFY(std::abs(ditherImagingPx(s, 7) - 10.9) < 0.05);
}

void RigTest::fineScaleBinned() {
    // Common practice: 5.86 µm at 3454 mm: 0.35 ″/px, bin 3 → 1.05 ″/px.
    QVERIFY(std::abs(scaleArcsecPx(5.86, 3454) - 0.35) < 0.001);
    QVERIFY(std::abs(scaleArcsecPx(5.86, 3454, 3) - 1.05) < 0.002);
}

void RigTest::reducer() {
    const Optics o{480, 80, 0.8}; // 480 mm f/6 with 0.8 × → 384 mm f/4.8
    QVERIFY(std::abs(o.effectiveFocal_mm() - 384.0) < 1e-9);
    QVERIFY(std::abs(o.focalRatio() - 4.8) < 1e-9);
}

void RigTest::focalLengthFromScale() {
    QVERIFY(std::abs(focalFromScale(4.2, scaleArcsecPx(4.2, 610, 2), 2) - 610.0) < 1e-9);
}

void RigTest::suggestedStepMovesTheWantedWay() {
    const double step = suggestedPulseStep_ms(2.578, 0.5, Angle(), 24.0, 12);
    // 2 px of 2.578″ at half the sidereal rate.
    QVERIFY(std::abs(step - 1000.0 * 2.0 * 2.578 / (0.5 * 15.041067)) < 0.01);
    QVERIFY(suggestedPulseStep_ms(2.578, 0.5, Angle::fromDeg(60), 24.0, 12) > 1.9 * step);
    QVERIFY(std::isfinite(suggestedPulseStep_ms(2.578, 0.5, Angle::fromDeg(90))));
}

void RigTest::impossibleRigsAreNamed() {
    QVERIFY(validateRig(good()).has_value());
    Rig r = good();
    r.guideOptics.focal_mm = 0.0;
    auto bad = validateRig(r);
    QVERIFY(!bad &&
            bad.error().what.english().find("focal length (guide scope) is 0 mm") != std::string::npos &&
            !bad.error().remedy.empty());
    r = good();
    r.imagingCamera.pixel_um = -4.2;
    bad = validateRig(r);
    QVERIFY(!bad &&
            bad.error().what.english().find("pixel size (imaging camera) is −4.2 µm") != std::string::npos);
    r = good();
    r.site.latitude = Angle::fromDeg(120);
    QVERIFY(!validateRig(r));
    r = good();
    r.guideCamera.pixel_um = std::nan("");
    QVERIFY(!validateRig(r));
}

void RigTest::offAxisNeedsNoGuideScope() {
    Rig r = good();
    r.guideOptics = {};
    QVERIFY(!validateRig(r));
    r.offAxis = true;
    QVERIFY(validateRig(r).has_value());
    QVERIFY(std::abs(scalesOf(r).ratio() - 3.0 / 4.2) < 1e-12);
}

void RigTest::changesOfARigInWords() {
    const Rig then = good();
    Rig now = then;
    now.name = "another name"; // no figure depends on it
    now.guideOptics.focal_mm += 0.3;
    QVERIFY(rigChanges(then, now).empty());
    now.guideOptics.focal_mm = 180.0;
    now.mount.wormPeriod_s = 433.0;
    now.mount.encoderDec = true;
    const auto words = rigChanges(then, now);
    QCOMPARE(words.size(), size_t{3});
    QCOMPARE(words[0].english(), std::string("guide scope: focal length 240 mm, now 180 mm"));
    QCOMPARE(words[1].english(), std::string("worm period not known, now it is"));
    QCOMPARE(words[2].english(), std::string("encoder on the Dec axis: none, now there"));
    // The scope that is no longer used is not compared with what took its place.
    now = then;
    now.offAxis = true;
    QCOMPARE(rigChanges(then, now).size(), size_t{1});
    QCOMPARE(rigChanges(then, now).front().english(), std::string("off-axis guider: none, now there"));
}

void RigTest::threeAnswersMakeARig() {
    RigAnswers a;
    a.telescope = {610.0, 111.0, 1.0};
    a.imaging = {4.2, 5000, 3400};
    a.guideScope = {240.0, 50.0, 1.0};
    a.guide = {3.0, 1920, 1200};
    a.latitude_deg = -33.0;
    a.longitude_deg = -70.5;
    int ids = 0;
    const auto newId = [&ids] { return "id" + std::to_string(++ids); };
    for (const MountKind kind :
         {MountKind::worm, MountKind::encoders, MountKind::harmonic, MountKind::tracker}) {
        a.mount = kind;
        const auto rig = rigFrom(a, newId);
        QVERIFY(rig.has_value());
        QCOMPARE(rig->mount.decMotor, kind != MountKind::tracker);
        QCOMPARE(rig->mount.encoderRa && rig->mount.encoderDec, kind == MountKind::encoders);
        QVERIFY(kind != MountKind::harmonic || rig->guiding.exposure_s < 1.5);
        // 206.265 × 4.2 µm / 610 mm.
        QVERIFY(std::abs(scalesOf(*rig).image_arcsec_px - 1.4202) < 1e-3);
        QVERIFY(rig->site.southern());
        QCOMPARE(rig->mount.name, std::string("My mount"));
        QVERIFY(rig->mount.id != rig->opticsId && rig->opticsId != rig->siteId && !rig->id.empty());
    }
    a.offAxis = true;
    a.guideScope = {};
    QVERIFY(rigFrom(a, newId).has_value()); // is not asked for
    a.telescope.focal_mm = 0.0;
    const auto none = rigFrom(a, newId);
    QVERIFY(!none && !none.error().remedy.empty());
}

NORDSTJERNA_TEST(RigTest)
#include "rig_test.moc"
