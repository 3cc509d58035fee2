// The tables of keys in docs/files.md are those that the program reads and writes.
#include <QFile>
#include <QtTest>

#include "core/base/format.h"
#include "core/base/number_text.h"
#include "core/guide/settings_book.h"
#include "core/rig/rig_fields.h"
#include "edge/store/rig_file.h"
#include "registry.h"

using namespace nordstjerna;

class KeysTest : public QObject {
    Q_OBJECT
private slots:
    void rigKeysAreDocumented();
    void settingsAreDocumented();
    void everyFieldComesBack();
    void anUntouchedRigStays();
    void limitsAreThoseOfTheFields();
};

namespace {

std::string rangeOf(double lowest, double highest) {
    return exactText(lowest) + " to " + exactText(highest);
}

class KeyTable : public PartVisitor {
public:
    QStringList lines;

    void number(const FieldSpec& f, double&) override { add(f, rangeOf(f.low, f.high)); }
    void whole(const FieldSpec& f, int&) override { add(f, rangeOf(f.low, f.high)); }
    void flag(const FieldSpec& f, bool&) override { add(f, "true, false"); }
    void text(const FieldSpec& f, std::string&) override { add(f, "text"); }
    void numbers(const FieldSpec& f, std::vector<double>&) override {
        add(f, "list, each " + rangeOf(f.low, f.high));
    }
    void names(const FieldSpec& f, std::vector<std::string>&) override { add(f, "list of texts"); }
    void horizon(const FieldSpec& f, HorizonProfile&) override {
        add(f, "list of pairs, altitude " + rangeOf(f.low, f.high));
    }

private:
    void add(const FieldSpec& f, const std::string& range) {
        std::string meaning = f.name;
        if (*f.help)
            meaning += std::string("; ") + f.help;
        if (f.zeroIsUnknown)
            meaning += "; 0: not known";
        if (f.needed)
            meaning += "; needed";
        lines << QString::fromStdString("| `" + pathOf(f) + "` | " + f.unit + " | " + range + " | " +
                                        meaning + " |");
    }
};

QString files() {
    QFile file(SOURCE_DIR "/docs/files.md");
    return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

// Whether the page has this table; says the right one if not.
bool holds(const QString& table) {
    const bool there = files().contains(table);
    if (!there)
        qInfo().noquote() << "docs/files.md should hold:\n" + table;
    return there;
}

// Gives every field another possible value, each its own.
class Changing : public RigVisitor {
public:
    bool enter(const PartSpec&, bool) override { return true; }
    void leave() override {}
    void number(const FieldSpec& f, double& v) override { v = f.low + (f.high - f.low) * next(); }
    void whole(const FieldSpec& f, int& v) override { v = static_cast<int>(f.low) + ++count_ % 5; }
    void flag(const FieldSpec&, bool& v) override { v = !v; }
    void text(const FieldSpec& f, std::string& v) override {
        v = std::string(f.key) + " " + std::to_string(++count_);
    }
    void numbers(const FieldSpec&, std::vector<double>& v) override { v = {6.78, 54.2}; }
    void names(const FieldSpec&, std::vector<std::string>& v) override { v = {"L", "", "Hα"}; }
    void horizon(const FieldSpec&, HorizonProfile& v) override {
        v = HorizonProfile({{Angle::fromDeg(12.5), Angle::fromDeg(20.25)}});
    }

private:
    double next() { return 0.001 * ++count_ + 0.01; }
    int count_ = 0;
};

} // namespace

void KeysTest::rigKeysAreDocumented() {
    KeyTable table;
    Rig rig;
    describe(rig, table);
    QVERIFY(table.lines.size() > 40);
    const QString expected = table.lines.join('\n');
    QVERIFY(holds(expected));
}

void KeysTest::settingsAreDocumented() {
    QStringList lines;
    for (int k = 0; k < settingCount; ++k) {
        const SettingSpec& s = settingSpec(static_cast<SettingKey>(k));
        lines << QString::fromStdString(std::string("| `") + s.id + "` | " + s.unit + " | " +
                                        (s.isChoice() ? std::string("a choice") : rangeOf(s.low, s.high)) +
                                        " | " + s.name + ": " + s.help + " |");
    }
    const QString expected = lines.join('\n');
    QVERIFY(holds(expected));
}

void KeysTest::everyFieldComesBack() {
    Rig rig;
    Changing changing;
    describe(rig, changing);
    const nlohmann::json written = rigToJson(rig);
    const auto back = rigFromJson(written, "a test");
    QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
    QCOMPARE(rigToJson(*back).dump(), written.dump());
    KeyTable table;
    describe(rig, table);
    // Each key of the table stands in the file.
    for (const QString& line : table.lines) {
        const QString path = line.section('`', 1, 1);
        const nlohmann::json* at = &written;
        for (const QString& part : path.split('.')) {
            QVERIFY2(at->contains(part.toStdString()), qPrintable(path));
            at = &at->at(part.toStdString());
        }
    }
}

// Angles pass through degrees and hours; what nobody changed is the same to the last digit.
void KeysTest::anUntouchedRigStays() {
    class Looking : public RigVisitor {
    public:
        bool enter(const PartSpec&, bool) override { return true; }
        void leave() override {}
    } looking;
    Rig rig;
    rig.site.latitude = Angle::fromRad(1.0 / 3.0);
    rig.mount.meridianLimitEast = Angle::fromRad(1.0 / 7.0);
    Rig copy = rig;
    describe(copy, looking);
    QCOMPARE(copy.site.latitude.rad(), rig.site.latitude.rad());
    QCOMPARE(copy.mount.meridianLimitEast.rad(), rig.mount.meridianLimitEast.rad());
}

// One beyond each end of each number is refused, and the sentence names field and unit.
void KeysTest::limitsAreThoseOfTheFields() {
    class Spoiling : public RigVisitor {
    public:
        Spoiling(int which, bool high) : which_(which), high_(high) {}
        std::string name;
        bool enter(const PartSpec& part, bool there) override { return there && !part.mayLack; }
        void leave() override {}
        void number(const FieldSpec& f, double& v) override {
            if (count_++ == which_)
                v = high_ ? f.high + 1.0 : f.low - 1.0, name = f.name;
        }
        void whole(const FieldSpec& f, int& v) override {
            if (count_++ == which_)
                v = static_cast<int>(high_ ? f.high + 1.0 : f.low - 1.0), name = f.name;
        }

    private:
        int which_;
        bool high_;
        int count_ = 0;
    };
    const auto rig = readRig(SOURCE_DIR "/resources/demo/skerry-610.json");
    QVERIFY(rig.has_value());
    int spoilt = 0;
    for (int which = 0;; ++which) {
        bool any = false;
        for (bool high : {false, true}) {
            Rig bad = *rig;
            Spoiling spoiling(which, high);
            describe(bad, spoiling);
            if (spoiling.name.empty())
                continue;
            any = true;
            ++spoilt;
            const auto valid = validateRig(bad);
            QVERIFY2(!valid, spoiling.name.c_str());
            QVERIFY2(valid.error().what.english().find(spoiling.name) != std::string::npos,
                     valid.error().text().c_str());
        }
        if (!any)
            break;
    }
    QVERIFY(spoilt > 60);
}

NORDSTJERNA_TEST(KeysTest)
#include "keys_test.moc"
