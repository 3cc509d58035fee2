// Devices that are not ours: the simulators of Debian's indi-bin behind its own server, begun here on a port
// of its own.
#include <QProcess>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QtTest>
#include <thread>

#include "core/sky/observed_frame.h"
#include "edge/devices/observatory.h"
#include "edge/devices/wire/wire_names.h"
#include "edge/devices/wire/wire_night.h"
#include "edge/devices/wire/wire_offer.h"
#include "eventually.h"
#include "registry.h"
#include "served_skerry.h"

using namespace nordstjerna;

namespace {

constexpr const char* theirMount = "Telescope Simulator";
constexpr const char* theirCamera = "CCD Simulator";
constexpr const char* theirGuider = "Guide Simulator";
constexpr const char* theirFocuser = "Focuser Simulator";
constexpr const char* theirWheel = "Filter Simulator";
constexpr const char* theirRotator = "Rotator Simulator";

struct Peer {
    QTemporaryDir home; // its drivers keep their settings there
    QProcess server;
    int port = 0;

    Peer() {
        port = freeListener().port(); // given back at once
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("HOME", home.path());
        server.setProcessEnvironment(environment);
        // Its socket for programs of this computer is found by name alone: one of its own keeps others out.
        server.start("indiserver",
                     {"-p", QString::number(port), "-u", home.filePath("server"), "indi_simulator_telescope",
                      "indi_simulator_ccd", "indi_simulator_guide", "indi_simulator_focus",
                      "indi_simulator_wheel", "indi_simulator_rotator"});
        if (!server.waitForStarted())
            qFatal("indiserver of the package indi-bin cannot be started");
    }
    ~Peer() {
        server.terminate();
        if (!server.waitForFinished(10000))
            server.kill();
        server.waitForFinished(10000);
    }
    WireAddress address() const { return {"localhost", port}; }
};

Rig theirRig() {
    Rig rig = demoScenario().rig;
    // Their mount has never been told where it stands, and counts from Greenwich.
    rig.site.latitude = Angle::fromDeg(50.0);
    rig.site.longitude = Angle::fromDeg(0.0);
    rig.guideCamera.bin = 1;
    rig.imagingCamera.bin = 2;
    return rig;
}

template <typename T>
void wentWell(const Expected<T>& done) {
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
}

} // namespace

class PeerTest : public QObject {
    Q_OBJECT
private slots:
    void offersAreRead();
    void anEveningsDevices();
};

void PeerTest::offersAreRead() {
    const Peer peer;
    WireLink link(peer.address(), {});
    QVERIFY(awaitOffers(link, 60.0));
    for (const char* device : {theirMount, theirCamera, theirGuider, theirFocuser})
        QVERIFY(eventually([&] {
            WireDevice(link, device, Text::say("device")).greet();
            const auto connection = link.told(device, wire::connection);
            return connection && connection->vector.on("CONNECT");
        }));
    QVERIFY(eventually(
        [&] { return link.told(theirMount, wire::guideRate) && link.told(theirGuider, wire::part); }));
    const auto offers = offersOf(link);
    const auto offer = [&](const std::string& device) {
        const auto at = std::find_if(offers.begin(), offers.end(),
                                     [&](const WireOffer& o) { return o.device == device; });
        return at == offers.end() ? WireOffer{} : *at;
    };
    const auto can = [](const WireOffer& o, WireAbility ability) {
        return std::find(o.abilities.begin(), o.abilities.end(), ability) != o.abilities.end();
    };
    const WireOffer mount = offer(theirMount);
    QVERIFY(mount.fits(WireRole::mount) && can(mount, WireAbility::pulses) && can(mount, WireAbility::parks));
    QCOMPARE(mount.guideRateRa, 0.5);
    const WireOffer camera = offer(theirCamera);
    QVERIFY(camera.fits(WireRole::camera) && camera.width == 1280 && camera.bits == 16);
    QVERIFY(offer(theirFocuser).fits(WireRole::focuser) && !offer(theirFocuser).fits(WireRole::mount));
    QVERIFY(offer(theirWheel).fits(WireRole::wheel));
    QVERIFY(offer(theirRotator).fits(WireRole::rotator));
}

void PeerTest::anEveningsDevices() {
    Peer peer;
    const Rig rig = theirRig();
    WireNight night(peer.address(),
                    {theirMount, theirGuider, theirCamera, {}, theirFocuser, theirWheel, theirRotator, {}},
                    rig, sharedIndex());
    Observatory observatory(night.devices());
    const Devices& devices = observatory.devices();
    QVERIFY(eventually([&] { return observatory.mountState().told; }));
    QVERIFY(eventually([&] { return devices.imagingFocuser->state().has_value(); }));
    // Places above the horizon, both sides.
    const auto unpark = night.link().told(theirMount, wire::park);
    if (unpark && unpark->vector.on("PARK"))
        wentWell(night.link().send(wireSwitch(theirMount, wire::park, "UNPARK")));
    const HourAngleDec east{Angle::fromHours(-1.0), Angle::fromDeg(60.0)};
    wentWell(devices.mount->slew(east, neverHalted));
    auto state = devices.mount->state();
    wentWell(state);
    QVERIFY2(std::abs((state->pointing.hourAngle - east.hourAngle).wrappedSigned().deg()) < 0.5,
             qPrintable(QString::number(state->pointing.hourAngle.deg())));
    QVERIFY(std::abs((state->pointing.dec - east.dec).deg()) < 0.5);
    QVERIFY(state->tracking);
    // Cameras: whole frames, binned ones, windows.
    const auto guide = devices.guideCamera->expose(0.5, neverHalted);
    wentWell(guide);
    QCOMPARE((*guide)->width, 1280);
    const auto imaging = devices.imagingCamera->expose(0.5, neverHalted);
    wentWell(imaging);
    QCOMPARE((*imaging)->width, 640);
    QVERIFY((*imaging)->info.start);
    const auto windows = devices.guideCamera->exposeWindows(0.5, {{200.0, 300.0, 10.0}}, neverHalted);
    wentWell(windows);
    QVERIFY(windows->frames[0].x0 < 200 && windows->frames[0].x0 + windows->frames[0].width > 200);
    // Pulses move it as its guide rate says: 2 s of 7.52″/s; west is towards smaller right ascension. Which
    // way its north pulses go depends on its side; calibration measures such things.
    const auto ra = [&] {
        const auto told = night.link().told(theirMount, wire::coordinates);
        return told->vector.number("RA");
    };
    const auto dec = [&] { return night.link().told(theirMount, wire::coordinates)->vector.number("DEC"); };
    const auto quiet = [&] { std::this_thread::sleep_for(std::chrono::milliseconds(1500)); };
    quiet();
    const double ra0 = ra(), dec0 = dec();
    wentWell(devices.mount->pulse(2000.0, 2000.0, neverHalted));
    quiet();
    QVERIFY2(std::abs(std::abs(dec() - dec0) * 3600.0 - 15.0) < 5.0,
             qPrintable(QString::number((dec() - dec0) * 3600.0)));
    QVERIFY2(std::abs((ra() - ra0) * 54000.0 + 15.0) < 8.0,
             qPrintable(QString::number((ra() - ra0) * 54000.0)));
    // The focuser.
    const auto at = devices.imagingFocuser->state();
    wentWell(at);
    wentWell(devices.imagingFocuser->moveTo(static_cast<int>(at->steps) + 500, neverHalted));
    QCOMPARE(devices.imagingFocuser->state()->steps, at->steps + 500.0);
    // The filter wheel.
    QVERIFY(eventually([&] { return devices.wheel->state().has_value(); }));
    QVERIFY(devices.wheel->state()->names.size() >= 5);
    for (const int slot : {3, 0, 2}) {
        wentWell(devices.wheel->moveTo(slot, neverHalted));
        QCOMPARE(devices.wheel->state()->slot, slot);
    }
    // The rotator.
    QVERIFY(eventually([&] { return devices.rotator->state().has_value(); }));
    for (const double angle_deg : {30.0, 75.0}) {
        wentWell(devices.rotator->moveTo(angle_deg, neverHalted));
        QVERIFY(std::abs(devices.rotator->state()->angle_deg - angle_deg) < 0.2);
    }
    // The cooler, led there by the observatory.
    QVERIFY(eventually([&] { return observatory.cooling()->look().state.has_value(); }));
    const double warm_c = observatory.cooling()->look().state->sensor_c;
    observatory.cooling()->cool(warm_c - 3.0);
    QVERIFY(eventually([&] {
        const auto look = observatory.cooling()->look();
        return look.state && look.state->on && look.state->sensor_c < warm_c - 0.3;
    }));
    // Sync, tracking off and on, a halt on the way.
    wentWell(devices.mount->sync({state->pointing.hourAngle + Angle::fromDeg(0.3), state->pointing.dec}));
    for (const bool on : {false, true})
        wentWell(devices.mount->setTracking(on));
    // Parked and unparked.
    QVERIFY(devices.mount->state()->parks);
    wentWell(devices.mount->park(true, neverHalted));
    QVERIFY(eventually([&] { return devices.mount->state().value_or(MountState{}).parked; }));
    wentWell(devices.mount->park(false, neverHalted));
    QVERIFY(eventually([&] { return !devices.mount->state().value_or(MountState{}).parked; }));
    StopFlag halt{false};
    Expected<void> slewed;
    std::thread slewing([&] {
        slewed = devices.mount->slew({Angle::fromHours(3.0), Angle::fromDeg(20.0)}, halt);
    });
    QVERIFY(eventually([&] { return observatory.mountState().moving; }));
    std::atomic<int> halted{0};
    halt = true;
    observatory.halt([&](const Expected<void>& done) { halted = done ? 1 : -1; });
    slewing.join();
    QVERIFY(eventually([&] { return halted != 0; }));
    QCOMPARE(halted.load(), 1);
    QVERIFY(!slewed);
    // The server goes and everything says so.
    peer.server.kill();
    QVERIFY(eventually([&] { return !observatory.mountLink().answers; }));
    const auto frame = devices.guideCamera->expose(0.5, neverHalted);
    QVERIFY(!frame && frame.error().transient);
}

NORDSTJERNA_TEST(PeerTest)
#include "peer_test.moc"
