// What goes over the wire is written down, and can be played again to the program.
#include <QTemporaryDir>
#include <QtTest>
#include <fstream>
#include <thread>

#include "core/base/random.h"
#include "edge/devices/wire/wire_names.h"
#include "edge/devices/wire/wire_record.h"
#include "eventually.h"
#include "registry.h"
#include "served_skerry.h"

using namespace nordstjerna;

class WireRecordTest : public QObject {
    Q_OBJECT
private slots:
    void framesAreCut();
    void whatIsRecordedIsPlayedAgain();
    void damagedRecords();
    void aFolderThatCannotBeWritten();
};

namespace {

// A server that says what another one said, whenever a client asks.
class Replayed {
public:
    explicit Replayed(std::string words) : words_(std::move(words)), listener_(freeListener()) {
        thread_ = std::thread([this] {
            while (!ending_)
                if (auto client = listener_.accept(0.1)) {
                    static_cast<void>(client->send(words_, 5.0));
                    char buffer[4096];
                    while (!ending_ && client->receive(buffer, sizeof buffer, 0.1))
                        ;
                }
        });
    }
    ~Replayed() {
        ending_ = true;
        thread_.join();
    }
    WireAddress address() const { return {"localhost", listener_.port()}; }

private:
    std::string words_;
    WireListener listener_;
    std::atomic<bool> ending_{false};
    std::thread thread_;
};

} // namespace

// In pieces of any size, as a network gives them.
void WireRecordTest::framesAreCut() {
    const std::string blob(5000, 'A');
    const std::string whole =
        "<setBLOBVector device=\"C\" name=\"CCD1\"><oneBLOB name=\"CCD1\" size=\"5000\">" + blob +
        "</oneBLOB></setBLOBVector><setNumberVector device=\"C\" name=\"X\">"
        "<oneNumber name=\"Y\">3</oneNumber></setNumberVector>";
    const std::string cut =
        "<setBLOBVector device=\"C\" name=\"CCD1\"><oneBLOB name=\"CCD1\" size=\"5000\">[5000 bytes left "
        "out]</oneBLOB></setBLOBVector><setNumberVector device=\"C\" name=\"X\">"
        "<oneNumber name=\"Y\">3</oneNumber></setNumberVector>";
    Random random(5);
    for (int k = 0; k < 50; ++k) {
        BlobCutter cutter;
        std::string kept;
        for (size_t at = 0; at < whole.size();) {
            const auto n = static_cast<size_t>(1 + random.uniform(0.0, 900.0));
            kept += cutter.cut(std::string_view(whole).substr(at, n));
            at += n;
        }
        QCOMPARE(kept, cut);
    }
}

void WireRecordTest::whatIsRecordedIsPlayedAgain() {
    const QTemporaryDir folder;
    const std::filesystem::path file = folder.filePath("wire/one.jsonl").toStdString();
    Scenario s = perfectScenario();
    s.speed = 20.0;
    s.rig.guideCamera.width = 400;
    s.rig.guideCamera.height = 300;
    {
        const ServedSkerry served(s);
        WireNight night(served.address(), servedRoles(), s.rig, sharedIndex());
        const Devices d = night.devices();
        QVERIFY(eventually([&] { return d.mount->state().has_value(); }));
        auto record = WireRecord::begin(file);
        QVERIFY(record.has_value());
        night.setRecord(*record);
        QVERIFY(d.mount->setTracking(false).has_value());
        QVERIFY(d.mount->setTracking(true).has_value());
        const StopFlag go{false};
        QVERIFY(eventually([&] { return d.guideCamera->expose(0.5, go).has_value(); }));
        QVERIFY(eventually([&] {
            const auto pieces = readWireRecord(file);
            return pieces && std::any_of(pieces->begin(), pieces->end(), [](const WirePiece& p) {
                       return p.text.find("left out") != std::string::npos;
                   });
        }));
        QCOMPARE((*record)->lost(), size_t(0));
        night.setRecord(nullptr);
    }
    const auto pieces = readWireRecord(file);
    QVERIFY2(pieces.has_value(), pieces ? "" : pieces.error().text().c_str());
    std::string from, to;
    double last = 0.0;
    for (const WirePiece& p : *pieces) {
        QVERIFY(p.t_s >= 0.0 && p.link.size() > 1);
        if (p.link == "commands")
            (p.sent ? to : from) += p.text;
        last = std::max(last, p.t_s);
    }
    QVERIFY(last > 0.0);
    QVERIFY(to.find("TRACK_ON") != std::string::npos);
    QVERIFY(std::filesystem::file_size(file) < 200'000); // the frame itself is not in it
    // A program that hears it again knows the same devices.
    const Replayed again(from);
    const WireLink link(again.address(), {});
    QVERIFY(eventually([&] { return link.told(ServedNight::mountName, wire::coordinates).has_value(); }));
    QVERIFY(eventually([&] { return link.told(ServedNight::guideName, wire::exposure).has_value(); }));
    QVERIFY(eventually([&] {
        const auto track = link.told(ServedNight::mountName, wire::trackState);
        return track && track->vector.on("TRACK_ON");
    }));
}

void WireRecordTest::damagedRecords() {
    const QTemporaryDir folder;
    const std::filesystem::path file = folder.filePath("wire.jsonl").toStdString();
    const auto write = [&](const std::string& text) { std::ofstream(file, std::ios::binary) << text; };
    const std::string head = "{\"format\":\"nordstjerna-wire 1\"}\n";
    const std::string line = "{\"t_s\":1,\"link\":\"commands\",\"way\":\"to\",\"text\":\"\u00c3\u00a9\"}\n";
    write(head + line);
    auto read = readWireRecord(file);
    QVERIFY(read && read->size() == 1);
    QCOMPARE((*read)[0].text, std::string("\xc3\xa9")); // bytes, as they were
    write(head + line + line.substr(0, 20));            // the program ended while it was written
    read = readWireRecord(file);
    QVERIFY(read && read->size() == 1);
    for (const std::string& bad : {std::string(), std::string("{}\n"), head + "[1]\n" + line,
                                   head + "{\"t_s\":\"x\",\"link\":1}\n" + line}) {
        write(bad);
        QVERIFY(!readWireRecord(file));
    }
    QVERIFY(!readWireRecord(folder.filePath("none").toStdString()));
}

void WireRecordTest::aFolderThatCannotBeWritten() {
    const auto record = WireRecord::begin("/proc/none/wire.jsonl");
    QVERIFY(!record);
    QVERIFY(!record.error().what.empty() && !record.error().remedy.empty());
}

NORDSTJERNA_TEST(WireRecordTest)
#include "wire_record_test.moc"
