// Names and typed coordinates.
#include <QFile>
#include <QtTest>

#include "core/sky/object_catalogue.h"
#include "core/sky/target_list.h"
#include "registry.h"

using namespace nordstjerna;

class CatalogueTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void findsByAnyName_data();
    void findsByAnyName();
    void wholeNamesComeFirst();
    void everyMessierAndCaldwellIsThere();
    void damagedTableIsRefused();
    void coordinates_data();
    void coordinates();
    void nonsenseIsRefused_data();
    void nonsenseIsRefused();
    void listsOfTargets();

private:
    ObjectCatalogue catalogue_;
};

void CatalogueTest::initTestCase() {
    QFile file(SOURCE_DIR "/resources/catalogues/objects.tsv");
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QByteArray text = file.readAll();
    const auto c = ObjectCatalogue::parse({text.constData(), static_cast<size_t>(text.size())});
    QVERIFY2(c.has_value(), c ? "" : c.error().text().c_str());
    QVERIFY(c->size() > 18000);
    catalogue_ = *c;
}

void CatalogueTest::findsByAnyName_data() {
    QTest::addColumn<QString>("query");
    QTest::addColumn<double>("ra");
    QTest::addColumn<double>("dec");
    // Places: NGC 891, M 31, M 45 by the Revised NGC; stars by Hipparcos (from memory, to a few arcminutes).
    QTest::newRow("number") << "NGC 891" << 35.639 << 42.349;
    QTest::newRow("no blank, small, zero") << "ngc0891" << 35.639 << 42.349;
    QTest::newRow("Caldwell") << "C23" << 35.639 << 42.349;
    QTest::newRow("Messier") << "m31" << 10.685 << 41.269;
    QTest::newRow("popular") << "andromeda galaxy" << 10.685 << 41.269;
    QTest::newRow("star") << "vega" << 279.235 << 38.784;
    QTest::newRow("Greek letter") << "α Lyr" << 279.235 << 38.784;
    QTest::newRow("spelt letter") << "alpha lyr" << 279.235 << 38.784;
    QTest::newRow("Flamsteed") << "3 lyr" << 279.235 << 38.784;
    QTest::newRow("southern") << "NGC 5139" << 201.697 << -47.479;
    QTest::newRow("IC") << "IC 434" << 85.24 << -2.46;
    QTest::newRow("dark nebula by Lynds") << "LDN 1251" << 339.03 << 75.27;
    QTest::newRow("reflection nebula by van den Bergh") << "vdb152" << 333.36 << 70.25;
    QTest::newRow("southern nebula") << "RCW 36" << 134.75 << -43.74;
    QTest::newRow("dark nebula by its own name") << "horsehead nebula" << 85.24 << -2.46;
    QTest::newRow("pole star") << "polaris" << 37.955 << 89.264;
}

void CatalogueTest::findsByAnyName() {
    QFETCH(QString, query);
    QFETCH(double, ra);
    QFETCH(double, dec);
    const auto found = catalogue_.search(query.toStdString(), 5);
    QVERIFY(!found.empty());
    const Angle off = separation(vectorFrom(found.front()->place),
                                 vectorFrom(Equatorial{Angle::fromDeg(ra), Angle::fromDeg(dec)}));
    // What has no light of its own has no magnitude.
    if (found.front()->kind == "dark nebula")
        QVERIFY(found.front()->magnitude > 90.0);
    QVERIFY2(off.arcmin() < 6.0,
             qPrintable(QString("%1: %2′ off").arg(found.front()->names.front().c_str()).arg(off.arcmin())));
}

void CatalogueTest::wholeNamesComeFirst() {
    const auto m3 = catalogue_.search("M 3", 20);
    QCOMPARE(m3.front()->names.front(), std::string("M 3"));
    QVERIFY(m3.size() > 5); // M 31, M 33 … follow
    QVERIFY(catalogue_.search("no such thing", 5).empty());
    QVERIFY(catalogue_.search("  ", 5).empty());
}

void CatalogueTest::everyMessierAndCaldwellIsThere() {
    QStringList missing;
    for (int i = 1; i <= 110; ++i) {
        const std::string name = "M " + std::to_string(i);
        const auto found = catalogue_.search(name, 1);
        const bool there = !found.empty() && std::find(found[0]->names.begin(), found[0]->names.end(),
                                                       name) != found[0]->names.end();
        if (!there && i != 102) // its identity is disputed
            missing << QString::fromStdString(name);
    }
    for (int i = 1; i <= 109; ++i) {
        const std::string name = "C " + std::to_string(i);
        const auto found = catalogue_.search(name, 1);
        const bool there = !found.empty() && std::find(found[0]->names.begin(), found[0]->names.end(),
                                                       name) != found[0]->names.end();
        if (!there && i != 99) // the Coalsack has no number elsewhere
            missing << QString::fromStdString(name);
    }
    QVERIFY2(missing.isEmpty(), qPrintable(missing.join(", ")));
}

void CatalogueTest::damagedTableIsRefused() {
    const auto c = ObjectCatalogue::parse("M 1\tnebula\t83.6\t22.0\t8.4\t6\nM 2\tcluster\tnonsense\n");
    QVERIFY(!c);
    QVERIFY(c.error().why.english().find("Line 2") != std::string::npos);
}

void CatalogueTest::coordinates_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<double>("ra");
    QTest::addColumn<double>("dec");
    const double ra = 15.0 * (2 + 22 / 60.0 + 33.4 / 3600.0);
    const double dec = 42 + 20 / 60.0 + 57 / 3600.0;
    for (const char* text :
         {"02 22 33.4 +42 20 57", "2h22m33.4s +42°20′57″", "02:22:33.4, 42:20:57", "02:22:33.4 42:20:57",
          "02h 22m 33.4s  42d 20' 57\"", "RA 02h22m33.4s Dec +42d20m57s (J2000)",
          "RA: 02:22:33.4 Dec: 42:20:57", "α = 02 22 33.4, δ = +42 20 57", "J2000.0 02 22 33.4 42 20 57",
          "02 22 33.4, 42 20 57", "2 22 33.4 42 20 57"})
        QTest::newRow(text) << QString::fromUtf8(text) << ra << dec;
    QTest::newRow("degrees") << "35.639 42.349" << 35.639 << 42.349;
    QTest::newRow("degrees, south") << "35.639, -42.349" << 35.639 << -42.349;
    QTest::newRow("true minus") << "35.639 −0.5" << 35.639 << -0.5;
    QTest::newRow("hours decimal") << "2.376h 42.349d" << 35.64 << 42.349;
    QTest::newRow("minus zero") << "02 22 33.4 -00 20 57" << ra << -(20 / 60.0 + 57 / 3600.0);
    QTest::newRow("no seconds") << "02 22.5 +42 20.5" << 15.0 * (2 + 22.5 / 60) << 42 + 20.5 / 60;
}

void CatalogueTest::coordinates() {
    QFETCH(QString, text);
    QFETCH(double, ra);
    QFETCH(double, dec);
    const auto e = parseCoordinates(text.toStdString());
    QVERIFY2(e.has_value(), e ? "" : e.error().text().c_str());
    QVERIFY2(std::abs(e->ra.deg() - ra) < 1e-6, qPrintable(QString::number(e->ra.deg(), 'f', 6)));
    QVERIFY2(std::abs(e->dec.deg() - dec) < 1e-6, qPrintable(QString::number(e->dec.deg(), 'f', 6)));
}

void CatalogueTest::nonsenseIsRefused_data() {
    QTest::addColumn<QString>("text");
    for (const char* text : {"", "12", "NGC 891", "25 00 00 +42 00 00", "12 61 00 +42 00 00",
                             "12 00 00 +91 00 00", "-2 22 33 +42 20 57", "1 2 3 4 5 6 7", "12 00 ++42",
                             "2.5 22 33 +42 20 57", "380 10", "RA", "RA 12 Dec", "Dec 42 RA 2"})
        QTest::newRow(text) << QString(text);
}

void CatalogueTest::nonsenseIsRefused() {
    QFETCH(QString, text);
    const auto e = parseCoordinates(text.toStdString());
    QVERIFY(!e);
    QVERIFY(!e.error().why.empty() && !e.error().remedy.empty());
}

void CatalogueTest::listsOfTargets() {
    const char* titled = "\xEF\xBB\xBFObject,Type,RA,Dec,PA\r\n"
                         "NGC 891,galaxy,02:22:33.4,+42:20:57,58\r\n"
                         "\r\n"
                         "# later\r\n"
                         "\"Mine, the faint one\",,35.639,-42.349,\r\n"
                         "ngc0224,galaxy,,,\r\n"
                         "nowhere,galaxy,,,\r\n"
                         "wrong,galaxy,25:61:00,+10:00:00,\r\n";
    const auto list = parseTargetList(titled, catalogue_);
    QVERIFY2(list.has_value(), list ? "" : list.error().text().c_str());
    QCOMPARE(list->targets.size(), size_t{3});
    QCOMPARE(list->targets[0].name, std::string("NGC 891"));
    QVERIFY(std::abs(list->targets[0].place.dec.deg() - 42.349167) < 1e-5);
    QCOMPARE(list->targets[0].angle_deg, std::optional(58.0));
    QCOMPARE(list->targets[1].name, std::string("Mine, the faint one"));
    QVERIFY(std::abs(list->targets[1].place.ra.deg() - 35.639) < 1e-9);
    QVERIFY(!list->targets[1].angle_deg);
    QVERIFY(std::abs(list->targets[2].place.ra.deg() - 10.685) < 0.05); // M 31
    QCOMPARE(list->leftOut, 2);
    QVERIFY2(list->firstLeftOut.english().starts_with("Line 7: Nothing is known as “nowhere”"),
             list->firstLeftOut.english().c_str());
    // Without titles; with semicolons and decimal commas; hours as numbers; names alone.
    const auto plain = parseTargetList("M 33\nHere, 2h22m, +42d20m\n", catalogue_);
    QVERIFY(plain && plain->targets.size() == 2 && plain->targets[1].name == "Here");
    const auto german = parseTargetList("name;ra_h;dec\nX;2,376;42,349\n", catalogue_);
    QVERIFY2(german.has_value(), german ? "" : german.error().text().c_str());
    QVERIFY(std::abs(german->targets[0].place.ra.deg() - 35.64) < 1e-6);
    QVERIFY(std::abs(german->targets[0].place.dec.deg() - 42.349) < 1e-6);
    for (const char* nothing : {"", "\n\n", "name,ra,dec\n", "no such thing\n"}) {
        const auto none = parseTargetList(nothing, catalogue_);
        QVERIFY(!none && !none.error().remedy.empty());
    }
    std::string many = "name,ra,dec\n";
    for (int i = 0; i < 2500; ++i)
        many += "X,10,10\n";
    QVERIFY(!parseTargetList(many, catalogue_));
}

NORDSTJERNA_TEST(CatalogueTest)
#include "catalogue_test.moc"
