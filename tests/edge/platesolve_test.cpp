// Plate solving on rendered frames of real stars.
#include <QTemporaryDir>
#include <QtTest>
#include <atomic>
#include <cmath>
#include <thread>

#include "core/base/random.h"
#include "core/procedure/pole_measurement.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/platesolve/plate_solver.h"
#include "night_fixture.h"
#include "registry.h"
#include "synthetic_frame.h"
#include "thinned.h"

using namespace nordstjerna;

class PlatesolveTest : public QObject {
    Q_OBJECT
private slots:
    void solvesRandomFields();
    void mirroredFrames();
    void wrongHintIsSurvived();
    void wrongScaleDoesNotMatch();
    void unfinishedSearchSaysNothingAgainstTheRig();
    void inventedStarsDoNotMatch();
    void tooFewStars();
    void unsolvedFramesSayWhy();
    void smallFieldsNearTheExpectedPlace_data();
    void smallFieldsNearTheExpectedPlace();
    void aFieldTooSmallIsNamed();
    void aSmallFieldNearAPlace();
    void furtherIndexFilesAreReadAtOnce();
    void haltBreaksOff();
    void aSearchHoldsUpNoFrame();
    void missingIndexFiles();
    void catalogueIsInOrder();
};

void PlatesolveTest::solvesRandomFields() {
    Random random(3);
    const StopFlag never{false};
    Scenario s = perfectScenario();
    s.rig.horizon = {};
    SimulatedNight night(s, sharedIndex());
    double worstPull = 0.0;
    for (int i = 0; i < 12; ++i) {
        const HourAngleDec place{Angle::fromHours(random.uniform(-4, 4)),
                                 Angle::fromDeg(random.uniform(5, 75))};
        QVERIFY(night.mount().slew(place, never).has_value());
        const auto frame = night.guideCamera().expose(3.0, never);
        SolveOptions blind;
        blind.scale_arcsec_px = 2.578;
        blind.scaleTolerance = 0.2;
        const auto field = detectStars(**frame);
        const auto solved = solveStars(*sharedIndex(), *field, (*frame)->width, (*frame)->height,
                                       *(*frame)->info.middle(), blind, never);
        QVERIFY2(solved.has_value(), solved ? "" : solved.error().text().c_str());
        QVERIFY(solved->matched >= 10);
        QVERIFY(solved->rms_arcsec < 1.0);
        const double off = separation(solved->plane.centre, vectorFrom(*(*frame)->info.pointing)).arcsec();
        worstPull = std::max(worstPull, off);
    }
    // The mount's belief leaves out refraction-free aberration of the day and the motion of the air:
    // arcseconds.
    QVERIFY2(worstPull < 15.0, qPrintable(QString::number(worstPull)));
}

void PlatesolveTest::mirroredFrames() {
    const StopFlag never{false};
    Scenario s = perfectScenario();
    s.guideMirrored = true;
    SimulatedNight night(s, sharedIndex());
    const auto frame = night.guideCamera().expose(3.0, never);
    const auto solved = solveFrame(*sharedIndex(), **frame, {}, never);
    QVERIFY2(solved.has_value(), solved ? "" : solved.error().text().c_str());
    QVERIFY(solved->plane.mirrored());
    QVERIFY(std::abs((solved->plane.roll() - Angle::fromDeg(s.guideRoll_deg)).wrappedSigned().deg()) < 0.6);
}

void PlatesolveTest::wrongHintIsSurvived() {
    const StopFlag never{false};
    SimulatedNight night(perfectScenario(), sharedIndex());
    const auto frame = night.guideCamera().expose(3.0, never);
    SolveOptions options;
    options.near = vectorFrom(Equatorial{Angle::fromDeg(100), Angle::fromDeg(-20)});
    options.radius_deg = 3.0;
    const auto solved = solveFrame(*sharedIndex(), **frame, options, never);
    QVERIFY(solved.has_value());
}

void PlatesolveTest::wrongScaleDoesNotMatch() {
    const StopFlag never{false};
    SimulatedNight night(perfectScenario(), sharedIndex());
    const auto frame = night.guideCamera().expose(3.0, never);
    SolveOptions options;
    options.scale_arcsec_px = 2.578 * 1.8;
    options.timeLimit_s = 600.0;
    // Of nine stars there are few figures: the search is finished, and then it says something about the
    // scale.
    auto field = detectStars(**frame);
    QVERIFY(field.has_value());
    field->stars.resize(9);
    const auto solved = solveStars(*sharedIndex(), *field, 1920, 1200, {}, options, never);
    QVERIFY(!solved);
    QVERIFY(solved.error().remedy.english().find("focal length") != std::string::npos);
}

void PlatesolveTest::unfinishedSearchSaysNothingAgainstTheRig() {
    const StopFlag never{false};
    SimulatedNight night(perfectScenario(), sharedIndex());
    const auto frame = night.guideCamera().expose(3.0, never);
    SolveOptions options;
    options.scale_arcsec_px = 2.578 * 1.8;
    options.timeLimit_s = 0.0;
    const auto solved = solveFrame(*sharedIndex(), **frame, options, never);
    QVERIFY(!solved);
    QVERIFY2(solved.error().what.english().find("not finished") != std::string::npos,
             solved.error().text().c_str());
    QVERIFY(solved.error().text().find("focal length") == std::string::npos);
}

namespace {
// Stars of no sky at all.
StarField inventedField(Random& random, int stars) {
    StarField field;
    for (int i = 0; i < stars; ++i) {
        Star s;
        s.x = random.uniform(10, 1910);
        s.y = random.uniform(10, 1190);
        s.flux = 1e5 / (i + 1);
        s.sigmaX = s.sigmaY = 0.05;
        field.stars.push_back(s);
    }
    return field;
}
} // namespace

void PlatesolveTest::inventedStarsDoNotMatch() {
    const StopFlag never{false};
    Random random(5);
    for (int trial = 0; trial < (thinned ? 1 : 3); ++trial) {
        const StarField field = inventedField(random, 50);
        SolveOptions options;
        options.scale_arcsec_px = 2.578;
        options.timeLimit_s = 1.0;
        QVERIFY(!solveStars(*sharedIndex(), field, 1920, 1200, {}, options, never));
    }
}

void PlatesolveTest::unsolvedFramesSayWhy() {
    const StopFlag never{false};
    Scenario s = perfectScenario();
    s.rig.imagingCamera.width = 1400;
    s.rig.imagingCamera.height = 1000;
    SimulatedNight night(s, sharedIndex());
    Camera& camera = *night.devices().imagingCamera;
    QVERIFY(night.mount().setTracking(true).has_value());
    QVERIFY(night.mount().slew({Angle::fromHours(1.0), Angle::fromDeg(20.0)}, never).has_value());
    // What the search says of itself is passed on: one that was not finished accuses nothing of the rig.
    const auto good = camera.expose(6.0, never);
    const Problem unfinished{Text::say("The search for the frame's place was not finished."),
                             Text::say("2 s were allowed."), Text::say("Try again."), false};
    const std::string slow = diagnoseUnsolved(**good, unfinished).text();
    QVERIFY2(slow.find("not finished") != std::string::npos && slow.find("Try again") != std::string::npos &&
                 slow.find("focal length") == std::string::npos,
             slow.c_str());
    // A mount that stands still: 15 seconds of arc a second.
    QVERIFY(night.mount().setTracking(false).has_value());
    const auto trailed = camera.expose(6.0, never);
    const std::string trails =
        diagnoseUnsolved(**trailed, {Text::say("The frame matches no part of the sky."), "",
                                     Text::say("Check focal length.")})
            .text();
    QVERIFY2(trails.find("trails") != std::string::npos && trails.find("tracks") != std::string::npos &&
                 trails.find("focal length") == std::string::npos,
             trails.c_str());
}

void PlatesolveTest::tooFewStars() {
    const StopFlag never{false};
    StarField field;
    field.stars.resize(3);
    const auto solved = solveStars(*sharedIndex(), field, 1920, 1200, {}, {}, never);
    QVERIFY(!solved && solved.error().what.english().find("3 stars") != std::string::npos);
}

void PlatesolveTest::haltBreaksOff() {
    const StopFlag halted{true};
    SimulatedNight night(perfectScenario(), sharedIndex());
    const StopFlag never{false};
    const auto frame = night.guideCamera().expose(3.0, never);
    const auto solved = solveFrame(*sharedIndex(), **frame, {}, halted);
    QVERIFY(!solved && solved.error().what.english() == "Halted.");
}

namespace {
// A guide telescope whose field is this wide.
Scenario withField(double width_arcmin) {
    Scenario s = perfectScenario();
    s.rig.horizon = {};
    const double scale = width_arcmin * 60.0 / s.rig.guideCamera.binnedWidth();
    s.rig.guideOptics.reducer = 1.0;
    s.rig.guideOptics.focal_mm =
        arcsecPerRad * 1e-3 * s.rig.guideCamera.pixel_um * s.rig.guideCamera.bin / scale;
    s.rig.guideOptics.aperture_mm = s.rig.guideOptics.focal_mm / 8.0;
    return s;
}
} // namespace

void PlatesolveTest::smallFieldsNearTheExpectedPlace_data() {
    QTest::addColumn<double>("width_arcmin");
    QTest::newRow("40 arcmin") << 40.0;
    QTest::newRow("28 arcmin") << 28.0;
}

// Which figures can not, or seldom.
void PlatesolveTest::smallFieldsNearTheExpectedPlace() {
    QFETCH(double, width_arcmin);
    const StopFlag never{false};
    Random random(41);
    SimulatedNight night(withField(width_arcmin), sharedIndex());
    int rich = 0;
    int solvedOnes = 0;
    for (int i = 0; i < casesOf(20); ++i) {
        const HourAngleDec place{Angle::fromHours(random.uniform(-4, 4)),
                                 Angle::fromDeg(random.uniform(-5, 75))};
        QVERIFY(night.mount().slew(place, never).has_value());
        const auto frame = night.guideCamera().expose(4.0, never);
        SolveOptions options;
        options.radius_deg = 1.0;
        options.timeLimit_s = 1.0;
        options.scaleTolerance = 0.02;
        const Vec3 truth = vectorFrom(*(*frame)->info.pointing);
        options.near = offsetPlace(truth, Angle::fromDeg(random.uniform(0, 360)), Angle::fromArcmin(20.0));
        const FieldReach reach = reachOf(*sharedIndex(), *detectStars(**frame), (*frame)->width,
                                         (*frame)->height, withHeader(options, **frame));
        QVERIFY(std::abs(reach.width_arcmin - width_arcmin) < 0.1);
        const auto solved = solveFrame(*sharedIndex(), **frame, options, never);
        if (solved) {
            const double off = separation(solved->plane.centre, truth).arcsec();
            QVERIFY2(off < 15.0 && solved->chance < 1e-6, qPrintable(QString::number(off)));
        }
        // Of the catalogue of the installed files, which in places holds next to nothing.
        if (sharedIndex()->starsNear(truth, Angle::fromArcmin(0.5 * width_arcmin)).size() < 9)
            continue;
        ++rich;
        solvedOnes += solved.has_value();
    }
    QVERIFY2(thinned || rich >= 2, qPrintable(QString::number(rich)));
    QVERIFY2(solvedOnes >= rich - 1, qPrintable(QString("%1 of %2").arg(solvedOnes).arg(rich)));
}

// Neither the rig nor the sky is to blame.
void PlatesolveTest::aFieldTooSmallIsNamed() {
    const StopFlag never{false};
    SimulatedNight night(withField(14.0), sharedIndex());
    QVERIFY(night.mount().slew({Angle::fromHours(1.0), Angle::fromDeg(35.0)}, never).has_value());
    Frame frame = **night.guideCamera().expose(6.0, never);
    frame.info.pointing.reset();
    SolveOptions options;
    options.timeLimit_s = 1.0;
    const auto solved = solveFrame(*sharedIndex(), frame, options, never);
    QVERIFY(!solved);
    QVERIFY(solved.error().lasting);
    for (const Problem& p : {solved.error(), diagnoseUnsolved(frame, solved.error())}) {
        const std::string text = p.text();
        QVERIFY2(text.find("14′ × 9′") != std::string::npos && text.find("30′ across") != std::string::npos &&
                     text.find("other camera") != std::string::npos,
                 text.c_str());
        QVERIFY2(text.find("loud") == std::string::npos && text.find("focal length") == std::string::npos,
                 text.c_str());
    }
}

// With the place known, what is missing is told: stars in the catalogue, for good, or stars on this frame.
void PlatesolveTest::aSmallFieldNearAPlace() {
    const StopFlag never{false};
    Frame frame(1920, 1200);
    Random random(43);
    const StarField field = inventedField(random, 30);
    SolveOptions options;
    options.scale_arcsec_px = 0.9; // 29′ × 18′
    options.scaleTolerance = 0.01;
    options.radius_deg = 0.4;
    options.timeLimit_s = 1.0;
    bool poor = false;
    bool rich = false;
    for (int i = 0; i < 400 && !(poor && rich); ++i) {
        options.near = vectorFrom(
            Equatorial{Angle::fromDeg(random.uniform(0, 360)), Angle::fromDeg(random.uniform(-80, 80))});
        const FieldReach reach = reachOf(*sharedIndex(), field, 1920, 1200, options);
        if (reach.figuresFit() || (reach.matchMayDo() ? rich : poor))
            continue;
        (reach.matchMayDo() ? rich : poor) = true;
        const auto solved = solveField(*sharedIndex(), field, frame, options, never);
        QVERIFY(!solved);
        const std::string text = solved.error().text();
        QCOMPARE(solved.error().lasting, !reach.matchMayDo());
        QVERIFY2(text.find("catalogue star") != std::string::npos &&
                     text.find("Say roughly") == std::string::npos &&
                     text.find("focal length") == std::string::npos,
                 text.c_str());
    }
    QVERIFY(poor && rich);
}

void PlatesolveTest::furtherIndexFilesAreReadAtOnce() {
    const auto wide = StarIndex::loadDefault({"index-tycho2-11"});
    QVERIFY(wide.has_value());
    const double before = (*wide)->smallestFigure_arcmin();
    QTemporaryDir folder;
    const auto refused = (*wide)->add(folder.path().toStdString());
    QVERIFY(!refused && refused.error().why.english().find(folder.path().toStdString()) != std::string::npos);
    const std::filesystem::path installed = "/usr/share/astrometry";
    for (const auto& file : std::filesystem::directory_iterator(installed))
        if (const auto name = file.path().filename().string();
            name.starts_with("index-tycho2-10.") || name.starts_with("index-tycho2-11."))
            std::filesystem::create_symlink(file.path(),
                                            folder.path().toStdString() / file.path().filename());
    const auto added = (*wide)->add(folder.path().toStdString());
    QVERIFY2(added && *added == 1,
             added ? qPrintable(QString::number(*added)) : added.error().text().c_str());
    QVERIFY((*wide)->smallestFigure_arcmin() < before);
    QCOMPARE((*wide)->names().size(), size_t{2});
}

// While a search goes on that would last for hours, stars are read as before.
void PlatesolveTest::aSearchHoldsUpNoFrame() {
    std::vector<Vec3> places;
    for (int i = 0; i < 12; ++i)
        places.push_back(vectorFrom(Equatorial{Angle::fromDeg(30.0 * i), Angle::fromDeg(10.0 * (i - 6))}));
    const auto read = [&](const Vec3& place) {
        const auto stars = sharedIndex()->starsNear(place, Angle::fromDeg(1.5));
        double sum = 0.0;
        for (const CatalogueStar& s : stars)
            sum += s.icrs.sum() + s.magnitude;
        return std::pair{stars.size(), sum};
    };
    std::vector<std::pair<size_t, double>> alone;
    for (const Vec3& p : places)
        alone.push_back(read(p));
    Random random(7);
    const StarField field = inventedField(random, 60);
    StopFlag enough{false};
    std::atomic<bool> searching{false};
    std::atomic<bool> over{false};
    std::thread search([&] {
        SolveOptions options;
        options.timeLimit_s = 1e6;
        searching = true;
        static_cast<void>(solveStars(*sharedIndex(), field, 1920, 1200, {}, options, enough));
        over = true;
    });
    while (!searching)
        std::this_thread::yield();
    bool same = true;
    for (int round = 0; round < 20; ++round)
        for (size_t i = 0; i < places.size(); ++i)
            same = same && read(places[i]) == alone[i];
    const bool still = !over;
    enough = true;
    search.join();
    QVERIFY(still);
    QVERIFY(same);
}

void PlatesolveTest::missingIndexFiles() {
    QTemporaryDir empty;
    const auto index = StarIndex::load({empty.path().toStdString(), "/nowhere"});
    QVERIFY(!index);
    QVERIFY(index.error().remedy.english().find("astrometry-data-tycho2") != std::string::npos);
    QVERIFY(index.error().why.english().find("/nowhere") != std::string::npos);
}

void PlatesolveTest::catalogueIsInOrder() {
    const Vec3 centre = vectorFrom(Equatorial{Angle::fromDeg(35.64), Angle::fromDeg(42.35)});
    const auto stars = sharedIndex()->starsNear(centre, Angle::fromDeg(1.0));
    QVERIFY(stars.size() > 30);
    for (size_t i = 0; i < stars.size(); ++i) {
        QVERIFY(separation(stars[i].icrs, centre).deg() < 1.0001);
        if (i)
            QVERIFY(stars[i].magnitude >= stars[i - 1].magnitude);
        for (size_t j = 0; j < i; ++j)
            QVERIFY(separation(stars[i].icrs, stars[j].icrs).arcsec() > 1.0); // each once
    }
}

NORDSTJERNA_TEST(PlatesolveTest)
#include "platesolve_test.moc"
