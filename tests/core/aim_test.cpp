// An aim that moves: the loop does not lag behind it, flexure is taken off by it and only where it helps, a
// target that moves among the stars stays where it is. And the shorter frame before the flip.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/findings/series_findings.h"
#include "core/motion/run_event_words.h"
#include "core/rig/scales.h"
#include "core/series/followed_flexure.h"
#include "core/series/oval.h"
#include "core/series/series_plan.h"
#include "demo_series.h"
#include "loop_world.h"
#include "registry.h"
#include "replayed.h"

using namespace nordstjerna;

class AimTest : public QObject {
    Q_OBJECT
private slots:
    void theLoopDoesNotLagBehind();
    void theRunIsReplayedAsItWas();
    void wordsOfTheRate();
    void flexureIsTakenOff();
    void whatOnlySlipsIsTakenBack();
    void chanceIsNoFlexure();
    void aLargeStepIsFoundAgain();
    void motionFromTwoPlaces();
    void streaksAreNotOval();
    void aShorterFrameBeforeTheFlip();
};

namespace {
constexpr SkyError comet{2.4, -1.5}; // ″ a minute: as fast as a comet near the Earth

WorldRun followed(const LoopWorld& w, ControllerKind kind, double minutes, const SkyError& arcsec_min) {
    return guideWorld(w, settingsOf(kind), minutes, true,
                      [&, told = false](RunRow& row, GuideLoop& loop) mutable {
                          if (row.t_s > 300.0 && !told) {
                              told = true;
                              const AimRate rate{arcsec_min};
                              loop.setAimRate(rate.arcsec_s());
                              row.events.add(rate);
                          }
                          const SkyError aim = loop.aimAt(row.t_s);
                          row.dra_arcsec -= aim.dra_arcsec;
                          row.ddec_arcsec -= aim.ddec_arcsec;
                      });
}

struct Late {
    double rms = 0.0, mean = 0.0;
};
Late late(const Run& run) {
    std::vector<double> ra;
    std::vector<double> dec;
    for (const RunRow& row : run.rows)
        if (row.t_s > 600.0) {
            ra.push_back(row.dra_arcsec);
            dec.push_back(row.ddec_arcsec);
        }
    return {std::hypot(standardDeviation(ra), standardDeviation(dec)), std::hypot(mean(ra), mean(dec))};
}
} // namespace

void AimTest::theLoopDoesNotLagBehind() {
    for (const auto kind : {ControllerKind::proportional, ControllerKind::trend, ControllerKind::model})
        for (const double sense : {1.0, -1.0})
            for (const double gap : {0.0, 2.5}) {
                double still = 0.0;
                double moving = 0.0;
                double behind = 0.0;
                for (std::uint64_t seed = 1; seed <= 6; ++seed) {
                    LoopWorld w;
                    w.seed = seed;
                    w.backlash_arcsec = gap;
                    w.amplitude_arcsec = w.second_arcsec = 0.4;
                    w.driftRa_arcsec_min = w.driftDec_arcsec_min = 0.0;
                    still += late(followed(w, kind, 40.0, {}).run).rms / 6.0;
                    const Late run = late(
                        followed(w, kind, 40.0, {sense * comet.dra_arcsec, sense * comet.ddec_arcsec}).run);
                    moving += run.rms / 6.0;
                    behind += run.mean / 6.0;
                }
                const QString words = QString("%1 sense %2 gap %3: %4 for %5, %6 behind")
                                          .arg(static_cast<int>(kind))
                                          .arg(sense)
                                          .arg(gap)
                                          .arg(moving)
                                          .arg(still)
                                          .arg(behind);
                QVERIFY2(moving < 1.08 * still, qPrintable(words));
                // A frame's way is 0.12″.
                QVERIFY2(behind < 0.1, qPrintable(words));
            }
}

void AimTest::theRunIsReplayedAsItWas() {
    LoopWorld w;
    const WorldRun r = followed(w, ControllerKind::model, 25.0, comet);
    QCOMPARE(otherPulse(r.run), QString());
    // What moved the star besides the pulses is the mount's: no trace of the aim's 40″.
    const auto d = rebuildDisturbance(r.run);
    QVERIFY(d.has_value());
    for (size_t i = 0; i < d->t_s.size(); ++i) {
        const double drift = w.driftDec_arcsec_min * d->t_s[i] / 60.0;
        QVERIFY2(std::abs(d->dec_arcsec[i] - drift) < 4.0,
                 qPrintable(QString("%1 for %2").arg(d->dec_arcsec[i]).arg(drift)));
    }
}

void AimTest::wordsOfTheRate() {
    RunEvents events;
    events.add(LoopState::steady);
    events.add(AimRate{{1.25, -0.5012}});
    const std::string words = eventWords(events);
    QCOMPARE(words, std::string("steady, aim moves 1.25 -0.5012"));
    const RunEvents back = eventsFrom(words);
    QCOMPARE(back.aimRate()->arcsec_min.dra_arcsec, 1.25);
    QCOMPARE(back.aimRate()->arcsec_min.ddec_arcsec, -0.5012);
    QVERIFY(!back.disturbs()); // the loop goes on guiding
    QVERIFY(!back.aimMove());
    QCOMPARE(eventText(back), std::string("settled, aim moves 1.25 ″/min east, 0.50 ″/min south"));
}

namespace {
// Two hours of frames whose field creeps by the flexure of the telescope, bending as its weight goes round.
struct BendingNight {
    double east_arcsec_min = 0.0, north_arcsec_min = 0.0; // at the first frame
    double turn_h = 24.0;                                 // of the force
    double exposure_s = 120.0;
    double scatter_arcsec = 0.15; // of the field's place in one frame
    double slips_arcsec = 0.0;    // the field jumps to and fro instead of creeping
    bool follow = true;
};

struct NightTold {
    std::vector<SeriesFrame> frames;
    std::vector<double> left; // ″/min, of the exposures after it was begun
    std::optional<FlexureFollowed> story;
};

NightTold nightOf(const BendingNight& n, std::uint64_t seed) {
    Random random(mixBits(seed));
    NightTold told;
    FlexureFollower follower;
    AimPath bent;
    bent.goTo(0.0);
    const Instant start = *parseInstant("2026-10-14T20:00:00");
    const double turn = tau / (3600.0 * n.turn_h);
    const auto bending = [&](double t) { // ″, along the first direction
        return std::sin(turn * t) / turn / 60.0;
    };
    SkyError before;
    for (double t = 0.0; t < 7200.0; t += n.exposure_s + 5.0) {
        SeriesFrame f;
        f.number = static_cast<int>(told.frames.size()) + 1;
        f.start = start + t;
        f.exposure_s = n.exposure_s;
        f.side = "east";
        const double middle = t + 0.5 * n.exposure_s;
        f.bent = f.aimed = bent.at(middle);
        const double slip = n.slips_arcsec * random.gaussian();
        const SkyError place{n.east_arcsec_min * bending(middle) + n.scatter_arcsec * random.gaussian() +
                                 slip,
                             n.north_arcsec_min * bending(middle) + n.scatter_arcsec * random.gaussian()};
        if (!told.frames.empty())
            f.moved = SkyError{place.dra_arcsec - before.dra_arcsec, place.ddec_arcsec - before.ddec_arcsec};
        before = place;
        if (follower.told() && !follower.told()->takenBack) {
            const double rate = std::cos(turn * middle);
            const SkyError aim = follower.rate_arcsec_min();
            told.left.push_back(std::hypot(n.east_arcsec_min * rate + aim.dra_arcsec,
                                           n.north_arcsec_min * rate + aim.ddec_arcsec));
        }
        told.frames.push_back(f);
        follower.look(told.frames, n.follow);
        const double end = t + n.exposure_s + 2.0;
        bent.goTo(end);
        const SkyError rate = follower.rate_arcsec_min();
        bent.setRate({rate.dra_arcsec / 60.0, rate.ddec_arcsec / 60.0});
    }
    told.story = follower.told();
    return told;
}
} // namespace

void AimTest::flexureIsTakenOff() {
    std::vector<double> shares;
    int within = 0;
    int judged = 0;
    for (std::uint64_t seed = 1; seed <= 50; ++seed) {
        Random random(mixBits(1000 + seed));
        BendingNight n;
        const double speed = random.uniform(0.5, 3.0);
        const double way = random.uniform(0.0, tau);
        n.east_arcsec_min = speed * std::sin(way);
        n.north_arcsec_min = speed * std::cos(way);
        n.turn_h = random.uniform(14.0, 24.0);
        n.exposure_s = random.uniform(60.0, 240.0);
        const NightTold told = nightOf(n, seed);
        QVERIFY(told.story.has_value());
        QVERIFY(!told.story->takenBack);
        QVERIFY2(told.story->afterFrame <= 12, qPrintable(QString::number(told.story->afterFrame)));
        QVERIFY(!told.left.empty());
        // The person reads both.
        SeriesStory story;
        story.followed = told.story;
        story.creep = creepOf(told.frames);
        const auto findings = seriesFindings(told.frames, story);
        QCOMPARE(findings.size(), size_t{1}); // and not that there is flexure
        QCOMPARE(findings[0].id, std::string("expose.following"));
        QVERIFY2(findings[0].evidence.english().find("before, and moves by") != std::string::npos,
                 findings[0].evidence.english().c_str());
        shares.push_back(mean(told.left) / speed);
        QVERIFY2(shares.back() < 1.0, "never more than before");
        // What is said to have been there before it began.
        const double middle_s = 0.5 * (told.frames[static_cast<size_t>(told.story->afterFrame) - 1].start -
                                       told.frames.front().start + n.exposure_s);
        const double rate = std::cos(tau * middle_s / (3600.0 * n.turn_h));
        for (const auto& [said, truth] :
             {std::pair(told.story->before.east_arcsec_min, n.east_arcsec_min * rate),
              std::pair(told.story->before.north_arcsec_min, n.north_arcsec_min * rate)}) {
            ++judged;
            within += std::abs(said.value - truth) < said.sigma;
        }
    }
    std::sort(shares.begin(), shares.end());
    // At most 15 % of it are left.
    QVERIFY2(shares[45] < 0.15,
             qPrintable(QString("%1 median, %2 of nine in ten").arg(shares[25]).arg(shares[45])));
    qInfo("left: median %.3f, 90 %% %.3f, worst %.3f", shares[25], shares[45], shares.back());
    const double share = static_cast<double>(within) / judged;
    QVERIFY2(share > 0.55 && share < 0.82, qPrintable(QString::number(share))); // of 100 cases
}

void AimTest::whatOnlySlipsIsTakenBack() {
    // A field that jumps about and does not creep: where chance begins it, it does no harm.
    double with = 0.0;
    double without = 0.0;
    for (std::uint64_t seed = 1; seed <= 200; ++seed) {
        BendingNight n;
        n.slips_arcsec = 2.0;
        const auto scatter = [](const NightTold& told) {
            std::vector<double> east{0.0};
            for (size_t i = 1; i < told.frames.size(); ++i)
                east.push_back(east.back() + told.frames[i].moved->dra_arcsec +
                               told.frames[i].bent.dra_arcsec - told.frames[i - 1].bent.dra_arcsec);
            return standardDeviation(east);
        };
        with += scatter(nightOf(n, seed)) / 200.0;
        n.follow = false;
        without += scatter(nightOf(n, seed)) / 200.0;
    }
    QVERIFY2(with < 1.05 * without, qPrintable(QString("%1 for %2").arg(with).arg(without)));
}

void AimTest::chanceIsNoFlexure() {
    // Nothing creeps: how often is it called certain, by few frames and by many?
    for (const size_t frames : {size_t(5), size_t(8), size_t(20)}) {
        int certain = 0;
        int judged = 0;
        for (std::uint64_t seed = 1; seed <= 3000; ++seed) {
            BendingNight n;
            n.follow = false;
            const NightTold told = nightOf(n, seed);
            const auto creep = creepOf(std::span(told.frames).first(frames));
            if (!creep)
                continue;
            ++judged;
            certain += creep->certain();
        }
        QVERIFY(judged > 2900);
        QVERIFY2(certain <= 9, qPrintable(QString("%1 of %2 by %3").arg(certain).arg(judged).arg(frames)));
    }
}

void AimTest::aLargeStepIsFoundAgain() {
    // 9″ between two frames are more than the stars' windows.
    Random random(mixBits(77));
    const SeriesSetup s = demoSeries();
    const double scale = scalesOf(s.rig).image_arcsec_px;
    TangentPlane plane;
    const double r = Angle::fromArcsec(scale).rad();
    plane.cd << -r * std::cos(0.5), r * std::sin(0.5), r * std::sin(0.5), r * std::cos(0.5);
    for (int night = 0; night < 200; ++night) {
        SeriesFrame a;
        a.side = "west";
        for (int i = 0; i < 80; ++i)
            a.look.shapes.push_back(
                {random.uniform(0.0, 5000.0), random.uniform(0.0, 3400.0), random.uniform(20.0, 300.0), {}});
        SeriesFrame b = a;
        b.spot = {random.uniform(-10.0, 10.0), random.uniform(-10.0, 10.0)};
        b.aimed = {random.uniform(-8.0, 8.0), random.uniform(-8.0, 8.0)};
        const SkyError truth{random.uniform(-20.0, 20.0), random.uniform(-20.0, 20.0)};
        for (const bool turned : {false, true}) {
            const Eigen::Vector2d sky(scale * b.spot.x_px + b.aimed.dra_arcsec + truth.dra_arcsec,
                                      scale * b.spot.y_px + b.aimed.ddec_arcsec + truth.ddec_arcsec);
            // Over the meridian the picture stands on its head.
            const Eigen::Vector2d px = (turned ? -1.0 : 1.0) * (plane.cd.inverse() * sky) / arcsecPerRad;
            b.look.shapes = a.look.shapes;
            for (ShapedStar& star : b.look.shapes) {
                star.x += px.x() + 0.05 * random.gaussian();
                star.y += px.y() + 0.05 * random.gaussian();
            }
            const auto moved = movedSince(a, b, plane, turned ? "east" : "west", scale);
            QVERIFY(moved.has_value());
            QVERIFY(std::hypot(moved->dra_arcsec - truth.dra_arcsec, moved->ddec_arcsec - truth.ddec_arcsec) <
                    0.06);
        }
    }
}

void AimTest::motionFromTwoPlaces() {
    const Instant at = *parseInstant("2026-10-14T21:00:00");
    for (const double dec : {-70.0, -5.0, 42.0, 88.0})
        for (const double pa : {10.0, 95.0, 200.0, 340.0}) {
            const Vec3 a = vectorFrom(Equatorial{Angle::fromDeg(35.0), Angle::fromDeg(dec)});
            const Vec3 b = offsetPlace(a, Angle::fromDeg(pa), Angle::fromArcsec(240.0));
            const auto motion = motionBetween(a, at, b, at + 5400.0);
            QVERIFY(motion.has_value());
            QVERIFY(std::abs(motion->speed_arcsec_h() - 160.0) < 1e-3);
            // There, back to where it was, and as far on.
            QVERIFY(separation(motion->placeAt(b, at), a).arcsec() < 0.01);
            QVERIFY(separation(motion->placeAt(b, at + 5400.0), b).arcsec() < 1e-6);
            QVERIFY(std::abs(separation(motion->placeAt(b, at + 9000.0), a).arcsec() - 400.0) < 0.05);
        }
    QVERIFY(!motionBetween(Vec3::UnitX(), at, Vec3::UnitY(), at));
    SeriesSetup s = demoSeries();
    s.aim.target = {120.0, 0.0, at};
    QVERIFY(validateSeries(s).has_value());
    s.guided = false;
    QVERIFY(!validateSeries(s));
    s.guided = true;
    s.aim.target.east_arcsec_h = 9000.0;
    QVERIFY(!validateSeries(s));
}

void AimTest::streaksAreNotOval() {
    // Stars drawn out by the target's motion, 6″ long, on a sensor that stands askew: as round as they were.
    const SeriesSetup s = demoSeries();
    const double scale = scalesOf(s.rig).image_arcsec_px;
    TangentPlane plane;
    const double r = Angle::fromArcsec(scale).rad();
    plane.cd << -r * std::cos(0.9), r * std::sin(0.9), r * std::sin(0.9), r * std::cos(0.9);
    for (const double pa_deg : {0.0, 40.0, 90.0, 155.0}) {
        const double length = 6.0;
        const Eigen::Vector2d way =
            length * Eigen::Vector2d(std::sin(pa_deg / 57.29578), std::cos(pa_deg / 57.29578));
        const Eigen::Vector2d px = plane.cd.inverse() * way / arcsecPerRad;
        std::vector<SeriesFrame> frames;
        for (int i = 0; i < 6; ++i) {
            SeriesFrame f;
            f.number = i + 1;
            f.exposure_s = 120.0;
            f.streak = {way.x(), way.y()};
            f.look.stars = f.look.shaped = 60;
            for (int k = 0; k < 60; ++k) {
                Moments m;
                m.xx = 2.2 + px.x() * px.x() / 12.0;
                m.yy = 2.2 + px.y() * px.y() / 12.0;
                m.xy = px.x() * px.y() / 12.0;
                f.look.shapes.push_back({80.0 * k, 50.0 * k, 100.0, m});
            }
            combineShapes(f.look, 5000, 3400);
            frames.push_back(f);
        }
        const auto judged = whyOval(frames, plane, std::nullopt, scale);
        QVERIFY(judged.has_value());
        QVERIFY2(!judged->oval && judged->elongation < 0.1, qPrintable(QString::number(judged->elongation)));
        for (SeriesFrame& f : frames)
            f.streak = {};
        QVERIFY(whyOval(frames, plane, std::nullopt, scale)->oval); // else it is seen
    }
}

void AimTest::aShorterFrameBeforeTheFlip() {
    for (const bool early : {false, true})
        for (const double latitude : {58.35, -33.0})
            for (const double exposure : {180.0, 600.0, 1200.0}) {
                SeriesSetup s = demoSeries();
                s.rig.site.latitude = Angle::fromDeg(latitude);
                if (latitude < 0.0)
                    s.target = vectorFrom(Equatorial{Angle::fromDeg(35.6), Angle::fromDeg(-42.3)});
                s.rig.mount.meridianLimitEast = Angle::fromHours(0.1);
                s.rig.mount.meridianLimitWest = Angle::fromHours(0.3);
                s.exposure_s = exposure;
                s.flip.early = early;
                s.flip.past_min = 6.5; // later than the limit: it has to wait
                const Instant now = *parseInstant("2026-10-14T21:30:00");
                const auto plain = SeriesRules::from(s, now);
                s.flip.fill = true;
                const auto filling = SeriesRules::from(s, now);
                QVERIFY(plain.has_value() && filling.has_value());
                const SeriesPlan without = planSeries(s, *plain, now, false, 0, true);
                const SeriesPlan with = planSeries(s, *filling, now, false, 0, true);
                QCOMPARE(with.frames >= without.frames - 1, true);
                if (!early)
                    QVERIFY(with.exposed_s >= without.exposed_s);
                bool across = false;
                int shorter = 0;
                for (const PlanBlock& b : with.blocks) {
                    across |= b.kind == PlanKind::flip;
                    if (b.kind != PlanKind::frame || across)
                        continue;
                    const double exposed = b.to - b.from - s.betweenFrames_s;
                    QVERIFY(b.from + exposed <= filling->limit());
                    if (exposed < exposure - 1e-6) {
                        ++shorter;
                        QVERIFY(exposed >= 0.25 * exposure && exposed >= 20.0);
                    }
                }
                QVERIFY(shorter <= 1);
                // It is none of the frames that are wanted.
                s.ends.frames = with.frames;
                const auto few = SeriesRules::from(s, now);
                QVERIFY(few.has_value());
                QCOMPARE(planSeries(s, *few, now, false, 0, true).frames, with.frames);
            }
}

NORDSTJERNA_TEST(AimTest)
#include "aim_test.moc"
