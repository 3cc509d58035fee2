// The language of the wire: messages into bytes and back, and what no server should send.
#include <QtTest>

#include "edge/devices/wire/base64.h"
#include "edge/devices/wire/wire_parser.h"
#include "edge/devices/wire/wire_socket.h"
#include "edge/devices/wire/wire_words.h"
#include "registry.h"

using namespace nordstjerna;

namespace {

struct Read {
    std::vector<WireMessage> messages;
    std::string wrong;
};

Read readAll(const std::string& bytes, size_t piece, WireLimits limits = {}) {
    Read all;
    WireParser parser([&](WireMessage&& m) { all.messages.push_back(std::move(m)); }, limits);
    for (size_t at = 0; at < bytes.size(); at += piece)
        if (const auto read = parser.read(bytes.data() + at, std::min(piece, bytes.size() - at)); !read) {
            all.wrong = read.error().why.english();
            break;
        }
    return all;
}

WireVector someVector(WireKind kind) {
    WireVector v;
    v.device = "A \"mount\" & <more>";
    v.name = "SOME";
    v.kind = kind;
    v.state = WireState::busy;
    v.label = "Größe";
    v.group = "Main";
    v.writable = kind != WireKind::lights;
    v.exclusive = kind == WireKind::switches;
    WireElement e;
    e.name = "FIRST";
    e.label = "First";
    switch (kind) {
    case WireKind::text:
        e.text = "äöü <&> ″";
        break;
    case WireKind::number:
        e.number = -0.1234567890123456789;
        e.lowest = -1e-9;
        e.highest = 3600.0;
        break;
    case WireKind::switches:
        e.on = true;
        break;
    case WireKind::lights:
        e.light = WireState::alert;
        break;
    case WireKind::blob:
        e.format = ".fits";
        e.bytes = std::make_shared<const std::string>(std::string("\0\xFFpixels", 8));
    }
    v.elements = {e, e};
    v.elements[1].name = "SECOND";
    v.elements[1].on = false;
    return v;
}

} // namespace

class WireTest : public QObject {
    Q_OBJECT
private slots:
    void messagesComeBack_data();
    void messagesComeBack();
    void base64AsInTheStandard();
    void numbersInSixtyParts();
    void anExampleOfTheProtocol();
    void whatNoServerShouldSend_data();
    void whatNoServerShouldSend();
    void oddButHarmless();
    void addresses();
};

void WireTest::messagesComeBack_data() {
    QTest::addColumn<int>("kind");
    QTest::addColumn<int>("piece");
    for (const int piece : {1, 7, 100000})
        for (int kind = 0; kind < 5; ++kind)
            QTest::addRow("kind %d, %d at once", kind, piece) << kind << piece;
}

void WireTest::messagesComeBack() {
    QFETCH(int, kind);
    QFETCH(int, piece);
    const WireVector v = someVector(static_cast<WireKind>(kind));
    using Verb = WireMessage::Verb;
    for (const Verb verb : {Verb::define, Verb::tell, Verb::command}) {
        const Read read = readAll(wireText({verb, v, "said", {}}), static_cast<size_t>(piece));
        QVERIFY2(read.wrong.empty(), read.wrong.c_str());
        QCOMPARE(read.messages.size(), size_t{1});
        const WireMessage& m = read.messages[0];
        QVERIFY(m.verb == verb && m.words == "said");
        QCOMPARE(m.vector.device, v.device);
        QCOMPARE(m.vector.name, v.name);
        QVERIFY(m.vector.kind == v.kind);
        QCOMPARE(m.vector.elements.size(), size_t{2});
        const WireElement& e = m.vector.elements[0];
        QCOMPARE(e.name, v.elements[0].name);
        QCOMPARE(e.text, v.elements[0].text);
        QCOMPARE(e.number, v.elements[0].number);
        QCOMPARE(e.on, v.elements[0].on);
        QVERIFY(e.light == v.elements[0].light);
        if (verb == Verb::define) {
            QCOMPARE(m.vector.label, v.label);
            QCOMPARE(m.vector.writable, v.writable);
            QCOMPARE(m.vector.exclusive, v.exclusive);
            QCOMPARE(e.lowest, v.elements[0].lowest);
        } else if (v.kind == WireKind::blob) {
            QVERIFY(e.bytes && *e.bytes == *v.elements[0].bytes);
            QCOMPARE(e.format, std::string(".fits"));
        }
        if (verb != Verb::command)
            QVERIFY(m.vector.state == WireState::busy);
    }
}

// Test vectors of RFC 4648, section 10.
void WireTest::base64AsInTheStandard() {
    const std::pair<const char*, const char*> vectors[] = {{"", ""},
                                                           {"f", "Zg=="},
                                                           {"fo", "Zm8="},
                                                           {"foo", "Zm9v"},
                                                           {"foob", "Zm9vYg=="},
                                                           {"fooba", "Zm9vYmE="},
                                                           {"foobar", "Zm9vYmFy"}};
    for (const auto& [plain, coded] : vectors) {
        QCOMPARE(toBase64(plain), std::string(coded));
        FromBase64 from;
        QVERIFY(from.take(coded, 100) && from.whole());
        QCOMPARE(from.bytes(), std::string(plain));
    }
    FromBase64 broken;
    QVERIFY(broken.take("Zm9", 100) && !broken.whole());
    QVERIFY(!FromBase64().take("Zm9v!", 100));
    QVERIFY(!FromBase64().take("Zg==Zg==", 100));
    QVERIFY(!FromBase64().take("Zm9vYmFy", 5)); // more than may come
}

void WireTest::numbersInSixtyParts() {
    QCOMPARE(*wireNumber("1.5"), 1.5);
    QCOMPARE(*wireNumber("-00:30:00"), -0.5);
    QVERIFY(std::abs(*wireNumber("12:34:56.7") - (12.0 + 34.0 / 60.0 + 56.7 / 3600.0)) < 1e-12);
    QCOMPARE(*wireNumber("+10 30"), 10.5);
    for (const char* wrong : {"", "nan", "inf", "1e999", "ten", "1:2:3:4", "1:", "0x10"})
        QVERIFY2(!wireNumber(wrong), wrong);
}

// After the examples in the protocol's own description: attributes in apostrophes, blanks and line ends
// round the values.
void WireTest::anExampleOfTheProtocol() {
    const Read read =
        readAll("<defNumberVector device='Telescope' name='EQUATORIAL_EOD_COORD' state='Ok' perm='rw' "
                "timeout='60' timestamp='2026-10-14T19:05:12'>\n"
                "  <defNumber name='RA' label='RA H:M:S' format='%10.6m' min='0' max='24' step='0'>\n"
                "    2:22:33.4\n  </defNumber>\n"
                "  <defNumber name='DEC' format='%10.6m' min='-90' max='90' step='0'>+42:20:50</defNumber>\n"
                "</defNumberVector>\n"
                "<message device='Telescope' message='Slewing &amp; settling'/>"
                "<delProperty device='Telescope'/>",
                11);
    QVERIFY2(read.wrong.empty(), read.wrong.c_str());
    QCOMPARE(read.messages.size(), size_t{3});
    QVERIFY(std::abs(read.messages[0].vector.number("RA") - 2.3759444) < 1e-6);
    QVERIFY(std::abs(read.messages[0].vector.number("DEC") - 42.3472222) < 1e-6);
    QCOMPARE(read.messages[1].words, std::string("Slewing & settling"));
    QVERIFY(read.messages[2].verb == WireMessage::Verb::withdraw && read.messages[2].vector.name.empty());
}

void WireTest::whatNoServerShouldSend_data() {
    QTest::addColumn<QByteArray>("bytes");
    QTest::newRow("no XML") << QByteArray("HTTP/1.1 400 Bad Request\r\n\r\n");
    QTest::newRow("a tag without an end") << "<setTextVector device='" + QByteArray(2'000'000, 'x');
    QTest::newRow("a text without an end")
        << "<setTextVector device='a' name='b'><oneText name='c'>" + QByteArray(2'000'000, 'x');
    QTest::newRow("a bomb of entities") << QByteArray(
        "<!DOCTYPE a [<!ENTITY b 'bbbbbbbb'><!ENTITY c '&b;&b;&b;&b;'>]><message message='&c;'/>");
    QTest::newRow("depth") << QByteArray(
        "<setTextVector device='a' name='b'><oneText name='c'><d/></oneText></setTextVector>");
    QTest::newRow("a BLOB of 4 GB") << QByteArray(
        "<setBLOBVector device='a' name='b'><oneBLOB name='c' size='4294967296' format='.fits'>");
    QTest::newRow("a BLOB that is none")
        << QByteArray("<setBLOBVector device='a' name='b'><oneBLOB name='c' size='3' format='.fits'>???");
    QTest::newRow("an end too many") << QByteArray("</message>");
    QByteArray many = "<setTextVector device='a' name='b'>";
    for (int i = 0; i < 600; ++i)
        many += "<oneText name='c'>d</oneText>";
    QTest::newRow("values without number") << many;
}

void WireTest::whatNoServerShouldSend() {
    QFETCH(QByteArray, bytes);
    WireLimits small;
    small.blob_bytes = 1'000'000;
    for (const size_t piece : {size_t{1400}, size_t{1} << 16}) {
        const Read read = readAll(bytes.toStdString(), piece, small);
        QVERIFY(!read.wrong.empty());
        QVERIFY(read.messages.empty());
    }
}

void WireTest::oddButHarmless() {
    // A tag of a later version, a number that is none, a BLOB cut short, an element of another kind, a byte
    // of an older code.
    const Read read =
        readAll("<pingRequest uid='1'/>"
                "<setNumberVector device='a' name='b'><oneNumber name='c'>nan</oneNumber>"
                "<oneText name='d'>e</oneText><oneNumber name='f'>1</oneNumber></setNumberVector>"
                "<setBLOBVector device='a' name='g'><oneBLOB name='h' size='9' format='.fits'>Zm9v"
                "</oneBLOB></setBLOBVector>"
                "<message device='a' message='5 \xB0\x43'/>",
                5);
    QVERIFY2(read.wrong.empty(), read.wrong.c_str());
    QCOMPARE(read.messages.size(), size_t{3});
    QCOMPARE(read.messages[0].vector.elements.size(), size_t{1});
    QCOMPARE(read.messages[0].vector.number("f"), 1.0);
    QVERIFY(read.messages[1].vector.elements.empty());
    QCOMPARE(read.messages[2].words, std::string("5 °C"));
}

void WireTest::addresses() {
    QCOMPARE(parseWireAddress("skerry")->text(), std::string("skerry:7624"));
    QCOMPARE(parseWireAddress("skerry.local:7000")->port, 7000);
    QCOMPARE(parseWireAddress("[::1]:7000")->host, std::string("::1"));
    QVERIFY(parseWireAddress("[::1]:7000")->loopback());
    QVERIFY(parseWireAddress("localhost")->loopback() && parseWireAddress("127.1.2.3")->loopback());
    QVERIFY(!parseWireAddress("10.0.0.1")->loopback());
    for (const char* wrong : {"", ":7624", "a:", "a:0", "a:70000", "a:1.5", "a b", "a/b", "[::1", "[::1]x"})
        QVERIFY2(!parseWireAddress(wrong), wrong);
}

NORDSTJERNA_TEST(WireTest)
#include "wire_test.moc"
