// Dither patterns, the aim of the loop, plan and rules of a series, and the shapes of stars.
#include <QtTest>
#include <cmath>
#include <numeric>

#include "core/base/ellipse.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/image/frame_look.h"
#include "core/rig/scales.h"
#include "core/series/night_order.h"
#include "core/series/series_frame.h"
#include "core/series/series_plan.h"
#include "demo_series.h"
#include "loop_world.h"
#include "reference_data.h"
#include "registry.h"
#include "replayed.h"

using namespace nordstjerna;

class SeriesTest : public QObject {
    Q_OBJECT
private slots:
    void haltonAgainstThePublishedValues();
    void patternsSpread();
    void theAimIsReachedAtOnce();
    void ditheringDoesNotDisturbTheModel();
    void settledMeansSettled();
    void ditheredRunGivesItsPulsesBack();
    void targetsFollowEachOther();
    void theOrderOfANight();
    void planOfTheDemoNight();
    void planKeepsTheLimit();
    void contradictoryEnds();
    void momentsOfKnownStars();
    void momentsHaveHonestErrors();
    void remarksOnFrames();
};

void SeriesTest::haltonAgainstThePublishedValues() {
    // Halton 1960 (from memory): base 2: 1/2 1/4 3/4 1/8 5/8; base 3: 1/3 2/3 1/9 4/9.
    const double two[] = {0.5, 0.25, 0.75, 0.125, 0.625};
    const double three[] = {1.0 / 3, 2.0 / 3, 1.0 / 9, 4.0 / 9, 7.0 / 9};
    for (std::uint64_t n = 0; n < 5; ++n) {
        QVERIFY(std::abs(radicalInverse(2, n) - two[n]) < 1e-15);
        QVERIFY(std::abs(radicalInverse(3, n) - three[n]) < 1e-15);
    }
}

void SeriesTest::patternsSpread() {
    for (DitherKind kind : {DitherKind::evenCover, DitherKind::scattered, DitherKind::outwardRings})
        for (double size : {5.0, 10.0, 13.7}) {
            std::vector<DitherSpot> spots;
            for (int n = 0; n <= 48; ++n)
                spots.push_back(ditherSpot(kind, size, false, 7, n));
            double meanX = 0.0;
            for (size_t i = 0; i < spots.size(); ++i) {
                QVERIFY(std::abs(spots[i].x_px) <= 0.5 * size + 0.5 &&
                        std::abs(spots[i].y_px) <= 0.5 * size + 0.5);
                meanX += spots[i].x_px / static_cast<double>(spots.size());
                for (size_t k = 0; k < i; ++k)
                    QVERIFY2(std::hypot(spots[i].x_px - spots[k].x_px, spots[i].y_px - spots[k].y_px) > 1e-3,
                             "never the same place twice");
            }
            QVERIFY(std::abs(meanX) < 0.16 * size);
            const DitherSpot again = ditherSpot(kind, size, false, 7, 11);
            QVERIFY(again.x_px == spots[11].x_px && again.y_px == spots[11].y_px);
            QCOMPARE(ditherSpot(kind, size, true, 7, 5).y_px, 0.0);
        }
    // Parts of pixels: of a grid of 4 × 4 the spread pattern meets more than chance does.
    const auto coverage = [](DitherKind kind, int n, std::uint64_t seed) {
        std::vector<DitherSpot> spots;
        for (int i = 1; i <= n; ++i)
            spots.push_back(ditherSpot(kind, 10.0, false, seed, i));
        return subpixelCoverage(spots, 4);
    };
    double byChance = 0.0;
    for (std::uint64_t seed = 1; seed <= 50; ++seed)
        byChance += coverage(DitherKind::scattered, 20, seed) / 50.0;
    QVERIFY(std::abs(byChance - (1.0 - std::pow(15.0 / 16.0, 20))) < 0.04); // as many balls in as many urns
    QVERIFY2(coverage(DitherKind::evenCover, 20, 1) > byChance + 0.1,
             qPrintable(QString::number(coverage(DitherKind::evenCover, 20, 1))));
}

namespace {
// A run whose aim goes by (3, −2)″ to and fro every two minutes.
WorldRun dithered(const LoopWorld& w, ControllerKind kind, double minutes, const SkyError& by) {
    const SettleRule rule{2.0, 8.0, 60.0};
    return guideWorld(w, settingsOf(kind), minutes, true,
                      [&, next = 120.0, sense = 1.0, aim = SkyError{}](RunRow& row, GuideLoop& loop) mutable {
                          if (row.t_s > next) {
                              next += 120.0;
                              const SkyError move{sense * by.dra_arcsec, sense * by.ddec_arcsec};
                              sense = -sense;
                              loop.moveAim(move, rule);
                              aim.dra_arcsec += move.dra_arcsec;
                              aim.ddec_arcsec += move.ddec_arcsec;
                              row.events.add(AimMove{move});
                          }
                          row.dra_arcsec -= aim.dra_arcsec;
                          row.ddec_arcsec -= aim.ddec_arcsec;
                      });
}
} // namespace

void SeriesTest::theAimIsReachedAtOnce() {
    for (auto kind : {ControllerKind::proportional, ControllerKind::trend, ControllerKind::model}) {
        LoopWorld w;
        w.noise_arcsec = 0.2;
        w.amplitude_arcsec = w.second_arcsec = 0.3; // trend does not follow a worm
        const WorldRun r = dithered(w, kind, 20.0, {6.0, -4.0});
        int late = 0;
        int moves = 0;
        for (size_t i = 0; i + 3 < r.run.rows.size(); ++i)
            if (r.run.rows[i].events.aimMove() && r.run.rows[i].t_s > 400.0) {
                ++moves;
                QVERIFY(std::hypot(r.run.rows[i].dra_arcsec, r.run.rows[i].ddec_arcsec) > 4.0);
                const RunRow& second = r.run.rows[i + 2];
                late += std::hypot(second.dra_arcsec, second.ddec_arcsec) > 1.5;
            }
        QVERIFY(moves > 5);
        QVERIFY2(late <= 1,
                 qPrintable(QString("%1: %2 of %3").arg(static_cast<int>(kind)).arg(late).arg(moves)));
    }
}

void SeriesTest::ditheringDoesNotDisturbTheModel() {
    double still = 0.0;
    double moving = 0.0;
    for (std::uint64_t seed = 1; seed <= 10; ++seed) {
        LoopWorld w;
        w.seed = seed;
        w.backlash_arcsec = seed % 2 ? 0.0 : 2.0;
        const auto rms = [&](const WorldRun& r) {
            std::vector<double> e;
            double quiet = 0.0;
            for (const RunRow& row : r.run.rows) {
                if (row.events.aimMove())
                    quiet = row.t_s + 30.0;
                if (row.t_s > 600.0 && row.t_s > quiet) {
                    e.push_back(row.dra_arcsec);
                    e.push_back(row.ddec_arcsec);
                }
            }
            return std::sqrt(std::inner_product(e.begin(), e.end(), e.begin(), 0.0) /
                             static_cast<double>(e.size()));
        };
        still += rms(guideWorld(w, settingsOf(ControllerKind::model), 30.0));
        moving += rms(dithered(w, ControllerKind::model, 30.0, {6.0, 5.0}));
    }
    QVERIFY2(moving < 1.06 * still, qPrintable(QString("%1 of %2").arg(moving).arg(still)));
}

void SeriesTest::settledMeansSettled() {
    // Called settled, the star itself, without the air, must be near its aim; and no more time may be lost
    // than the mount needs to get there and the rule to hold.
    const SettleRule rule{2.1, 8.0, 60.0};
    int settles = 0;
    int wrong = 0;
    int never = 0;
    double lost = 0.0;
    double least = 0.0;
    for (std::uint64_t seed = 1; seed <= 60; ++seed) {
        Random random(seed);
        LoopWorld w;
        w.seed = seed;
        w.noise_arcsec = random.uniform(0.25, 0.6);
        w.backlash_arcsec = seed % 2 ? 0.0 : random.uniform(0.5, 4.0);
        w.amplitude_arcsec = random.uniform(0.5, 6.0);
        std::vector<LoopState> states; // before each row
        std::vector<SkyError> aims;
        const WorldRun r = guideWorld(
            w, settingsOf(ControllerKind::model), 35.0, true,
            [&, next = 600.0, aim = SkyError{}](RunRow& row, GuideLoop& loop) mutable {
                if (row.t_s > next) {
                    next += 120.0;
                    const SkyError to{random.uniform(-7.0, 7.0), random.uniform(-7.0, 7.0)};
                    const SkyError by{to.dra_arcsec - aim.dra_arcsec, to.ddec_arcsec - aim.ddec_arcsec};
                    loop.moveAim(by, rule);
                    aim = to;
                    row.events.add(AimMove{by});
                }
                states.push_back(loop.state());
                aims.push_back(aim);
                row.dra_arcsec -= aim.dra_arcsec;
                row.ddec_arcsec -= aim.ddec_arcsec;
            });
        for (size_t i = 0; i + 60 < r.run.rows.size(); ++i) {
            if (!r.run.rows[i].events.aimMove())
                continue;
            const auto off = [&](size_t k) {
                return std::hypot(r.mountRa[k] - aims[k].dra_arcsec, r.mountDec[k] - aims[k].ddec_arcsec);
            };
            size_t end = i + 1;
            while (end < r.run.rows.size() && states[end] == LoopState::dithering)
                ++end;
            if (end >= r.run.rows.size())
                continue;
            ++settles;
            if (states[end] != LoopState::steady) {
                ++never;
                continue;
            }
            wrong += off(end - 1) > rule.within_arcsec;
            // The first frame that was taken there, and the time it must hold.
            size_t there = i;
            while (there < end && off(there) > rule.within_arcsec)
                ++there;
            lost += r.run.rows[end - 1].t_s - r.run.rows[i].t_s;
            least += r.run.rows[there].t_s - r.run.rows[i].t_s + rule.for_s;
        }
    }
    QVERIFY(settles > 500);
    const QString told = QString("%1 settles, %2 wrong, %3 never, %4 of the least time")
                             .arg(settles)
                             .arg(wrong)
                             .arg(never)
                             .arg(lost / least);
    qInfo("%s", qPrintable(told));
    QVERIFY2(wrong < 0.01 * settles, qPrintable(told));
    QVERIFY2(never < 0.02 * settles, qPrintable(told));
    QVERIFY2(lost < 1.3 * least, qPrintable(told));
}

void SeriesTest::ditheredRunGivesItsPulsesBack() {
    for (auto kind : {ControllerKind::proportional, ControllerKind::trend, ControllerKind::model}) {
        LoopWorld w;
        w.backlash_arcsec = 1.5;
        const WorldRun r = dithered(w, kind, 15.0, {14.0, -9.0});
        const QString other = otherPulse(r.run);
        QVERIFY2(other.isEmpty(), qPrintable(other));
        // What the mount did by itself does not know of the dithers.
        const auto d = rebuildDisturbance(r.run);
        const auto own = rebuildDisturbance(guideWorld(w, settingsOf(kind), 15.0).run);
        QVERIFY(d && own);
        double step = 0.0;
        for (size_t i = 1; i < d->t_s.size(); ++i)
            step = std::max(step, std::abs(d->ra_arcsec[i] - d->ra_arcsec[i - 1]));
        QVERIFY2(step < 3.0, qPrintable(QString::number(step)));
    }
}

namespace {
Instant at(const char* text) {
    return *parseInstant(text);
}
} // namespace

// One after the other, by the rules of the series themselves; what gets no frame takes no time.
void SeriesTest::targetsFollowEachOther() {
    for (const bool south : {false, true}) {
        SeriesSetup s = demoSeries();
        const double sign = south ? -1.0 : 1.0;
        s.rig.site.latitude = Angle::fromDeg(sign * 58.35);
        s.ends.dawn = Twilight::astronomical;
        s.ends.frames = 5;
        const auto place = [&](double ra, double dec) {
            return Equatorial{Angle::fromDeg(ra), Angle::fromDeg(sign * dec)};
        };
        s.target = vectorFrom(place(35.6, 42.3));
        const Instant now = at(south ? "2026-06-14T21:00:00" : "2026-10-14T20:30:00");
        const auto night = nightAround(s.rig.site, now);
        const auto rules = SeriesRules::from(s, now, night);
        // In the southern winter night this target is below the ground: any begin will do there.
        const Instant begins = rules ? planSeries(s, *rules, now, false, 0, false).ends : now;
        const double rising_ra = south ? 330.0 : 120.0; // up only later in the night
        const auto later = planFollowing(s,
                                         {{"first", place(south ? 270.0 : 23.5, 45.0), 4},
                                          {"never", place(100.0, -60.0), 3},
                                          {"rises", place(rising_ra, 20.0), 6},
                                          {"rest", place(rising_ra + 10.0, 45.0), 0},
                                          {"too late", place(rising_ra + 10.0, 45.0), 2}},
                                         begins, night);
        QCOMPARE(later.size(), size_t{5});
        QVERIFY2(!later[0].none && later[0].frames == 4,
                 later[0].none ? later[0].none->text().c_str() : "frames");
        QVERIFY(std::abs(later[0].from - begins) < 1.0 && later[0].to > later[0].from + 4 * s.exposure_s);
        QVERIFY(later[1].none && later[1].to == later[1].from);
        QVERIFY2(!later[2].none && later[2].frames == 6, later[2].none ? later[2].none->text().c_str() : "");
        QVERIFY(later[2].from >= later[0].to);
        QVERIFY2(!later[3].none && later[3].frames > 3, later[3].none ? later[3].none->text().c_str() : "");
        QVERIFY(later[3].from >= later[2].to && later[3].ends.english().find("dawn") != std::string::npos);
        QVERIFY(later[4].none); // the night is over
        // Every block lies behind the one before it, over all targets.
        Instant t = begins;
        for (const NightStretch& stretch : later)
            for (const PlanBlock& b : stretch.blocks) {
                QVERIFY(b.from >= t + -1e-6);
                t = b.to;
            }
    }
}

// No order of the same targets gives more light, and one that is clearly better is found: the setting target
// first, the rising one last, whatever the list says. Both hemispheres.
void SeriesTest::theOrderOfANight() {
    for (const bool south : {false, true}) {
        SeriesSetup s = demoSeries();
        const double sign = south ? -1.0 : 1.0;
        s.rig.site.latitude = Angle::fromDeg(sign * 45.0);
        s.ends.dawn = Twilight::astronomical;
        s.exposure_s = 300.0;
        const Instant now = at(south ? "2026-04-14T18:40:00" : "2026-10-14T18:40:00");
        const auto night = nightAround(s.rig.site, now);
        const ObservedFrame frame(s.rig.site, now);
        const auto named = [&](const char* name, double hour, int frames) {
            const HourAngleDec place{Angle::fromHours(hour), Angle::fromDeg(sign * 20.0)};
            return FollowingTarget{name, equatorialFrom(frame.icrsFrom(place)), frames};
        };
        const std::vector<FollowingTarget> listed{named("rises", -7.0, 40), named("high", -2.0, 40),
                                                  named("sets", 2.5, 20)};
        const NightOrder order = bestOrder(s, listed, now, night);
        QCOMPARE(order.targets.size(), size_t{3});
        QCOMPARE(order.targets[0].name, std::string("sets"));
        QCOMPARE(order.targets[1].name, std::string("high"));
        QCOMPARE(order.targets[2].name, std::string("rises"));
        QVERIFY(order.exposed_s > order.before_s + 1800.0);
        QVERIFY(order.givenUp.empty());
        // Nothing is gained by asking again.
        const NightOrder again = bestOrder(s, order.targets, now, night);
        QVERIFY(again.targets == order.targets);
        QCOMPARE(again.exposed_s, again.before_s);
        // One that never rises is named.
        auto hopeless = listed;
        hopeless.push_back({"never", {Angle{}, Angle::fromDeg(sign * -80.0)}, 5});
        const NightOrder some = bestOrder(s, hopeless, now, night);
        QCOMPARE(some.givenUp.size(), size_t{1});
        QCOMPARE(some.givenUp.front(), std::string("never"));
    }
}

void SeriesTest::planOfTheDemoNight() {
    SeriesSetup s = demoSeries();
    s.start.dusk = Twilight::astronomical;
    s.ends.dawn = Twilight::astronomical;
    const auto rules = SeriesRules::from(s, at("2026-10-14T18:00:00"));
    QVERIFY2(rules.has_value(), rules ? "" : rules.error().text().c_str());
    const auto night = nightAround(s.rig.site, at("2026-10-14T22:00:00"));
    QVERIFY(std::abs(rules->begins() - *night->astronomicalEnd) < 1.0);
    QVERIFY(std::abs(rules->ends() - *night->astronomicalStart) < 1.0);
    const SeriesPlan plan = planSeries(s, *rules, at("2026-10-14T18:00:00"), false, 0, false);
    QVERIFY(plan.flip.has_value());
    QVERIFY(*plan.flip > rules->mayFlip() && *plan.flip - rules->mayFlip() < 190.0);
    // By hand: what is left of the span after beginning, flip and dithers, in frames of 183 s.
    const double span = rules->ends() - rules->begins() - s.beginning_s - s.flipping_s;
    const double each = s.exposure_s + s.betweenFrames_s + s.settling_s / 3.0;
    QVERIFY2(std::abs(plan.frames - span / each) < 2.0,
             qPrintable(QString("%1 of %2").arg(plan.frames).arg(span / each)));
    QVERIFY(plan.dithers > plan.frames / 3 - 3 && plan.dithers <= plan.frames / 3);
    for (size_t i = 1; i < plan.blocks.size(); ++i)
        QVERIFY(std::abs(plan.blocks[i].from - plan.blocks[i - 1].to) < 1e-6);
    QVERIFY(plan.endsBecause.english().find("dawn") != std::string::npos);
    // A number that is reached first.
    s.ends.frames = 12;
    const auto few = SeriesRules::from(s, at("2026-10-14T18:00:00"));
    QCOMPARE(planSeries(s, *few, at("2026-10-14T18:00:00"), false, 5, false).frames, 7);
}

void SeriesTest::planKeepsTheLimit() {
    for (double past_h : {-0.2, 0.0, 0.02, 0.5})
        for (double exposure : {60.0, 300.0, 1200.0})
            for (double latitude : {58.35, -33.0}) {
                SeriesSetup s = demoSeries();
                s.rig.site.latitude = Angle::fromDeg(latitude);
                if (latitude < 0.0)
                    s.target = vectorFrom(Equatorial{Angle::fromDeg(35.6), Angle::fromDeg(-42.3)});
                s.rig.mount.meridianLimitEast = Angle::fromHours(past_h);
                s.exposure_s = exposure;
                const Instant now = at("2026-10-14T21:30:00");
                const auto rules = SeriesRules::from(s, now);
                QVERIFY(rules.has_value());
                const auto plan = planSeries(s, *rules, now, false, 0, true);
                bool across = false;
                for (const PlanBlock& b : plan.blocks) {
                    across |= b.kind == PlanKind::flip;
                    if (b.kind == PlanKind::flip)
                        QVERIFY(b.from >= rules->mayFlip());
                    if (b.kind == PlanKind::frame && !across)
                        QVERIFY(b.from + exposure <= rules->limit() + 1e-6);
                }
                QVERIFY(across);
                // Over before the meridian, where the mount may be told so: never sooner than it reaches,
                // and no more waiting than without.
                s.flip.early = true;
                s.rig.mount.meridianLimitWest = Angle::fromHours(0.4);
                const auto soon = SeriesRules::from(s, now);
                const auto early = planSeries(s, *soon, now, false, 0, true);
                const auto waiting = [](const SeriesPlan& p) {
                    double seconds = 0.0;
                    for (const PlanBlock& b : p.blocks)
                        seconds += b.kind == PlanKind::wait ? b.to - b.from : 0.0;
                    return seconds;
                };
                QVERIFY(early.flip && *early.flip >= soon->mayFlipEarly());
                QVERIFY(*early.flip <= *plan.flip + 1e-6 && early.frames >= plan.frames);
                QVERIFY(waiting(early) <= waiting(plan) + 1e-6);
                if (past_h == 0.0)
                    QVERIFY(*early.flip < *plan.flip && waiting(early) == 0.0);
                s.flip.early = false;
                s.flip.allowed = false;
                const auto held = SeriesRules::from(s, now);
                const auto short_ = planSeries(s, *held, now, false, 0, true);
                QVERIFY(!short_.flip && short_.endsBecause.english().find("limit") != std::string::npos);
                QVERIFY(short_.ends <= held->limit() + s.betweenFrames_s + s.settling_s);
            }
}

void SeriesTest::contradictoryEnds() {
    const Instant now = at("2026-10-14T18:00:00");
    const auto refused = [&](const SeriesSetup& s) {
        const auto rules = SeriesRules::from(s, now);
        return rules ? std::string() : rules.error().text();
    };
    SeriesSetup s = demoSeries();
    s.start.at = at("2026-10-15T02:00:00");
    s.ends.at = at("2026-10-15T01:00:00");
    QVERIFY(refused(s).find("end before it begins") != std::string::npos);
    s = demoSeries();
    s.ends.at = at("2026-10-14T17:00:00");
    QVERIFY(refused(s).find("end before it begins") != std::string::npos);
    s = demoSeries();
    s.target = vectorFrom(Equatorial{Angle::fromDeg(35.0), Angle::fromDeg(-60.0)});
    QVERIFY(refused(s).find("does not come up") != std::string::npos);
    s = demoSeries();
    s.start.altitude_deg = 80.0; // it culminates at 74°
    QVERIFY(refused(s).find("below 80°") != std::string::npos);
    s = demoSeries();
    s.exposure_s = 0.0;
    QVERIFY(!refused(s).empty());
    s = demoSeries();
    s.flip.past_min = 0.0;
    QVERIFY(refused(s).find("chance") != std::string::npos);
    s = demoSeries();
    s.dither.size_px = -1.0;
    QVERIFY(!refused(s).empty());
}

namespace {
// One elliptical Gaussian on a noisy sky.
Frame starFrame(double major, double minor, double angle_deg, double flux, double noise, Random& random,
                double x = 30.3, double y = 29.8) {
    Frame f(61, 61);
    const double a = angle_deg * M_PI / 180.0;
    for (int py = 0; py < f.height; ++py)
        for (int px = 0; px < f.width; ++px) {
            const double u = (px - x) * std::cos(a) + (py - y) * std::sin(a);
            const double v = -(px - x) * std::sin(a) + (py - y) * std::cos(a);
            const double light = flux / (2.0 * M_PI * major * minor) *
                                 std::exp(-0.5 * (u * u / (major * major) + v * v / (minor * minor)));
            f.at(px, py) = static_cast<float>(100.0 + light + noise * random.gaussian());
        }
    return f;
}
} // namespace

void SeriesTest::momentsOfKnownStars() {
    Random random(3);
    for (double angle : {-80.0, -30.0, 0.0, 45.0, 70.0})
        for (double ratio : {1.0, 1.3, 2.0}) {
            Star s;
            s.x = 30.1;
            s.y = 30.0;
            s.hfd = 4.5;
            s.background = 100.0;
            const double minor = 1.6;
            const auto m = starMoments(starFrame(ratio * minor, minor, angle, 2e5, 0.01, random), s);
            QVERIFY(m.has_value());
            const Ellipse e = errorEllipse(m->covariance());
            // The cut at four standard deviations takes a thousandth.
            QVERIFY2(std::abs(e.major / (ratio * minor) - 1.0) < 0.01 &&
                         std::abs(e.minor / minor - 1.0) < 0.01,
                     qPrintable(QString("%1 %2").arg(e.major).arg(e.minor)));
            if (ratio > 1.0)
                QVERIFY(std::abs(std::remainder(e.angle_rad * 180.0 / M_PI - angle, 180.0)) < 0.5);
        }
    // No star, and one at the edge.
    Star none;
    none.x = none.y = 30.0;
    none.hfd = 4.0;
    none.background = 100.0;
    QVERIFY(!starMoments(starFrame(1.5, 1.5, 0.0, 0.0, 0.0, random), none));
    none.x = 1.0;
    QVERIFY(!starMoments(starFrame(1.5, 1.5, 0.0, 1e5, 1.0, random, 1.0, 30.0), none));
}

void SeriesTest::momentsHaveHonestErrors() {
    // Sixty stars of a frame, a little oval: the frame's figure lies within its ± as often as it should.
    int within = 0;
    int cases = 0;
    double direction = 0.0;
    for (std::uint64_t seed = 1; seed <= 200; ++seed) {
        Random random(seed);
        const double angle = random.uniform(-90.0, 90.0);
        StarField field;
        Frame frame(640, 640);
        for (float& p : frame.pixels)
            p = static_cast<float>(200.0 + 8.0 * random.gaussian());
        for (int i = 0; i < 36; ++i) {
            const double x = 50.0 + 105.0 * (i % 6) + random.uniform(-5, 5);
            const double y = 50.0 + 105.0 * (i / 6) + random.uniform(-5, 5);
            const double flux = 4000.0 * std::pow(10.0, random.uniform(0.0, 1.0));
            const Frame one = starFrame(2.0, 1.8, angle, flux, 0.0, random, x - std::floor(x) + 30.0,
                                        y - std::floor(y) + 30.0);
            for (int py = 0; py < 61; ++py)
                for (int px = 0; px < 61; ++px) {
                    const int fx = static_cast<int>(x) - 30 + px;
                    const int fy = static_cast<int>(y) - 30 + py;
                    if (fx >= 0 && fy >= 0 && fx < 640 && fy < 640)
                        frame.at(fx, fy) += one.at(px, py) - 100.0F;
                }
            Star s;
            s.x = x;
            s.y = y;
            s.hfd = 4.5;
            s.background = 200.0;
            s.snr = flux / std::sqrt(flux + 60.0 * 64.0);
            field.stars.push_back(s);
        }
        const FrameLook look = lookAt(frame, field);
        QVERIFY(look.shaped >= 30);
        const double e = (4.0 - 3.24) / (4.0 + 3.24);
        const double truth1 = e * std::cos(2.0 * angle * M_PI / 180.0);
        const double truth2 = e * std::sin(2.0 * angle * M_PI / 180.0);
        within += std::abs(look.e1.value - truth1) < look.e1.sigma;
        within += std::abs(look.e2.value - truth2) < look.e2.sigma;
        cases += 2;
        direction += std::abs(std::remainder(look.angle_deg() - angle, 180.0)) < 2.0 * look.angleSigma_deg();
        QVERIFY(std::abs(look.elongation() - 0.1) < 0.03);
    }
    const double share = static_cast<double>(within) / cases;
    QVERIFY2(share > 0.60 && share < 0.76, qPrintable(QString::number(share)));
    QVERIFY2(direction / 200.0 > 0.9, qPrintable(QString::number(direction)));
}

void SeriesTest::remarksOnFrames() {
    std::vector<SeriesFrame> before;
    SeriesFrame usual;
    usual.exposure_s = 180.0;
    usual.look.stars = 400;
    usual.look.fwhm_px = {2.5, 0.02};
    usual.guide.looks = 70;
    usual.guide.steady = true;
    usual.guide.peak_arcsec = 1.5;
    for (int i = 0; i < 12; ++i)
        before.push_back(usual);
    QCOMPARE(remarkOn(usual, before), Remark::none);
    SeriesFrame f = usual;
    f.look.tracks = 1;
    f.look.hfd_px = 9.0;
    QCOMPARE(remarkOn(f, before), Remark::track);
    f = usual;
    f.look.stars = 100;
    QCOMPARE(remarkOn(f, before), Remark::cloud);
    f = usual;
    f.guide.peak_arcsec = 8.0;
    QCOMPARE(remarkOn(f, before), Remark::bump);
    f = usual;
    f.settled = false;
    QCOMPARE(remarkOn(f, before), Remark::unsettled);
    f = usual;
    f.guide.lost = 60;
    QCOMPARE(remarkOn(f, before), Remark::unguided);
    f = usual;
    f.look.fwhm_px.value = 3.4;
    QCOMPARE(remarkOn(f, before), Remark::unsharp);
    QCOMPARE(focusLoss(before), 0.0);
    for (int i = 0; i < 6; ++i) {
        f.look.fwhm_px.value = 2.5 * (1.0 + 0.05 * i);
        before.push_back(f);
    }
    QVERIFY(focusLoss(before) > 0.08);
}

NORDSTJERNA_TEST(SeriesTest)
#include "series_test.moc"
