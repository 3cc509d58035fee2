// The table of controllers, and what a further one takes.
#include <QtTest>
#include <cmath>
#include <set>

#include "core/base/statistics.h"
#include "core/guide/controllers.h"
#include "core/guide/settings_book.h"
#include "core/motion/loop_replay.h"
#include "core/motion/tune.h"
#include "integral_controller.h"
#include "loop_world.h"
#include "registry.h"

using namespace nordstjerna;

class ControllersTest : public QObject {
    Q_OBJECT
private slots:
    void eachHasAnIdOfItsOwn();
    void unknownKindIsTheModel();
    void aFurtherOneGuides();
    void aFurtherOneIsReplayedAndSearched();
    void thoseThatWaitLearnMeanwhile();
};

namespace {
double lateMean(const std::vector<double>& v) {
    double sum = 0.0;
    const size_t from = v.size() / 2;
    for (size_t i = from; i < v.size(); ++i)
        sum += v[i];
    return sum / static_cast<double>(v.size() - from);
}

LoopWorld driftingWorld() {
    LoopWorld w;
    w.amplitude_arcsec = w.second_arcsec = 0.0;
    w.driftDec_arcsec_min = 3.0;
    return w;
}
} // namespace

void ControllersTest::eachHasAnIdOfItsOwn() {
    std::set<std::string> ids;
    std::set<ControllerKind> kinds;
    for (const ControllerDescriptor& c : controllers()) {
        QVERIFY(ids.insert(c.id).second);
        QVERIFY(kinds.insert(c.kind).second);
        QCOMPARE(*controllerFrom(c.id), c.kind);
        QCOMPARE(controllerOf(c.kind).id, c.id);
        QVERIFY(*c.help && *c.reasonRa && *c.reasonDec && c.make);
    }
    QCOMPARE(ids.size(), size_t{3});
}

void ControllersTest::unknownKindIsTheModel() {
    QVERIFY(!controllerFrom("integral"));
    QCOMPARE(settingText(SettingKey::kindRa, 3.0).english(), std::string("model"));
    QCOMPARE(settingText(SettingKey::kindRa, -1.0).english(), std::string("model"));
}

// A plain share of each error leaves a steady drift a constant offset; the sum of the errors takes it away.
void ControllersTest::aFurtherOneGuides() {
    const FurtherController further(IntegralController::descriptor());
    QCOMPARE(settingText(SettingKey::kindDec, 3.0).english(), std::string("integral"));
    ControllerSettings plain = settingsOf(ControllerKind::proportional);
    for (AxisSettings* a : {&plain.ra, &plain.dec}) {
        a->loopGain = 0.2;
        a->deadband_arcsec = 0.0;
        a->smoothing = 0.0;
    }
    ControllerSettings integral = plain;
    integral.ra.kind = integral.dec.kind = *controllerFrom("integral");
    const LoopWorld w = driftingWorld();
    const double offsetPlain = lateMean(guideWorld(w, plain, 30.0).mountDec);
    const double offsetIntegral = lateMean(guideWorld(w, integral, 30.0).mountDec);
    QVERIFY2(std::abs(offsetPlain) > 0.2, qPrintable(QString::number(offsetPlain)));
    QVERIFY2(std::abs(offsetIntegral) < 0.08, qPrintable(QString::number(offsetIntegral)));
}

void ControllersTest::aFurtherOneIsReplayedAndSearched() {
    const FurtherController further(IntegralController::descriptor());
    ControllerSettings integral = settingsOf(IntegralController::kind);
    const WorldRun r = guideWorld(driftingWorld(), integral, 20.0);
    const auto again = pulsesAgain(r.run);
    QVERIFY(again.has_value());
    for (size_t i = 0; i < again->size(); ++i)
        QCOMPARE((*again)[i].dec_ms, r.run.rows[i].pulseDec_ms);
    SettingsBook book(integral);
    const auto tuned = tune(r.run, book, nullptr);
    QVERIFY(tuned.has_value());
    const int others = static_cast<int>(controllers().size()) - 1; // besides the proportional one
    // Each of the others is tried on both axes, beyond the grid of the proportional one.
    QCOMPARE(tuned->tried % 2, 0);
    QVERIFY(others == 3 && tuned->tried > 2 * others);
}

// A controller that was not in charge has followed the axis: when it takes over there is nothing to learn.
void ControllersTest::thoseThatWaitLearnMeanwhile() {
    LoopWorld w = driftingWorld();
    double worst = 0.0;
    guideWorld(w, settingsOf(ControllerKind::proportional), 30.0, true,
               [&, frame = 0](RunRow& row, GuideLoop& loop) mutable {
                   if (++frame == 400)
                       loop.setController(settingsOf(ControllerKind::trend));
                   if (frame > 405 && row.measured())
                       worst = std::max(worst, std::abs(row.ddec_arcsec));
               });
    QVERIFY2(worst > 0.0 && worst < 4.0 * w.noise_arcsec + 0.5, qPrintable(QString::number(worst)));
}

NORDSTJERNA_TEST(ControllersTest)
#include "controllers_test.moc"
