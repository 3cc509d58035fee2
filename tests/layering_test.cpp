// Holds the source tree to its rings, by what each file includes: core knows nothing of edge, desk or Qt;
// inside core base ← sky ← rig, image ← pole, calibration, focus ← guide ← motion ← series ← findings ←
// procedure ← review; edge nothing of desk; charts knows core only; only charts and desk speak Qt. In the
// desk the parts of the evening know no screen, pictures and widgets neither evening nor station, stations
// neither each other nor the whole session; and only three files know that the devices are simulated.
#include <QDirIterator>
#include <QRegularExpression>
#include <QtTest>

#include "registry.h"

class LayeringTest : public QObject {
    Q_OBJECT
private slots:
    void includesFollowTheRings();
    void rulesBite();
    void sourcesCarryNoSideEntrances();
    void hiddenNamesMeetNowhere();
};

namespace {

int coreLevel(const QString& folder) {
    static const QHash<QString, int> levels{
        {"base", 0},        {"sky", 1},       {"rig", 2},   {"image", 2},  {"pole", 3},
        {"calibration", 3}, {"focus", 3},     {"guide", 4}, {"motion", 5}, {"series", 6},
        {"findings", 7},    {"procedure", 8}, {"review", 9}};
    return levels.value(folder, -1);
}

QString brokenInDesk(const QString& file, const QString& include) {
    const QStringList from = file.split('/');
    const QStringList to = include.split('/');
    const QString room = from.size() > 2 ? from[1] : QString();
    const QString other = to[0] == "desk" && to.size() > 2 ? to[1] : QString();
    const bool station = room == "stations" && from.size() > 3;
    if (include.startsWith("edge/devices/sim/") && file != "desk/start.cpp" &&
        file != "desk/hands_sheet.cpp" && file != "desk/simulator_menu.cpp")
        return "knows that the devices are simulated";
    if (station && other == "stations" && to.size() > 3 && to[2] != from[2])
        return "station " + from[2] + " includes station " + to[2];
    if (station &&
        (include == "desk/session.h" || include == "desk/main_window.h" || include == "desk/start.h"))
        return "a station knows the whole session";
    if (room == "evening" && (other == "stations" || other == "pictures" || other == "widgets" ||
                              include == "desk/session.h" || include == "desk/main_window.h"))
        return "a part of the evening knows a screen";
    if ((room == "pictures" || room == "widgets") &&
        (other == "stations" || other == "evening" || include == "desk/session.h"))
        return room + " include " + include;
    return {};
}

// Empty when the include is allowed.
QString broken(const QString& file, const QString& include, bool angled) {
    const QStringList from = file.split('/');
    const QStringList to = include.split('/');
    const QString ring = from[0];
    if (angled) {
        if (ring != "desk" && ring != "charts" &&
            QRegularExpression("^(Q[A-Z]|qcustomplot|Qt)").match(include).hasMatch())
            return "Qt outside desk and charts";
        return {};
    }
    if (to.size() < 2)
        return "include by a path from src";
    if (ring == "core") {
        if (to[0] != "core")
            return "core includes " + to[0];
        if (coreLevel(from[1]) < 0 || coreLevel(to[1]) < 0)
            return "unknown folder of core";
        if (from[1] != to[1] && coreLevel(to[1]) >= coreLevel(from[1]))
            return from[1] + " includes " + to[1];
    }
    if (ring == "edge" && to[0] != "core" && to[0] != "edge")
        return "edge includes " + to[0];
    if (ring == "charts" && to[0] != "core" && to[0] != "charts")
        return "charts includes " + to[0];
    if (ring == "tool" && to[0] == "desk")
        return "tool includes desk";
    if (ring == "desk" && to[0] == "tool")
        return "desk includes tool";
    if (ring == "desk")
        return brokenInDesk(file, include);
    return {};
}

} // namespace

void LayeringTest::includesFollowTheRings() {
    const QDir root(SOURCE_DIR "/src");
    const QRegularExpression pattern("^\\s*#include\\s*([<\"])([^>\"]+)[>\"]");
    int seen = 0;
    QStringList wrong;
    QDirIterator files(root.path(), {"*.h", "*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
    while (files.hasNext()) {
        QFile file(files.next());
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QString name = root.relativeFilePath(file.fileName());
        for (const QString& line : QString::fromUtf8(file.readAll()).split('\n')) {
            const auto m = pattern.match(line);
            if (!m.hasMatch())
                continue;
            ++seen;
            const QString reason = broken(name, m.captured(2), m.captured(1) == "<");
            if (!reason.isEmpty())
                wrong << name + ": " + reason;
        }
    }
    QVERIFY(seen > 300);
    QVERIFY2(wrong.isEmpty(), qPrintable(wrong.join('\n')));
}

void LayeringTest::rulesBite() {
    QVERIFY(!broken("core/sky/horizon.h", "QString", true).isEmpty());
    QVERIFY(!broken("core/sky/horizon.h", "edge/runner.h", false).isEmpty());
    QVERIFY(!broken("core/base/angle.h", "core/sky/site.h", false).isEmpty());
    QVERIFY(!broken("core/calibration/calibration.h", "core/pole/drift.h", false).isEmpty());
    QVERIFY(!broken("edge/runner.h", "desk/theme.h", false).isEmpty());
    QVERIFY(!broken("edge/runner.h", "QThread", true).isEmpty());
    QVERIFY(!broken("edge/runner.h", "charts/chart.h", false).isEmpty());
    QVERIFY(!broken("charts/chart.h", "edge/runner.h", false).isEmpty());
    QVERIFY(!broken("tool/main.cpp", "QGuiApplication", true).isEmpty());
    QVERIFY(!broken("desk/stations/pole/pole_station.cpp", "desk/stations/guide/guide_station.h", false)
                 .isEmpty());
    QVERIFY(broken("desk/stations/pole/pole_station.cpp", "desk/stations/station.h", false).isEmpty());
    QVERIFY(broken("desk/stations/pole/pole_station.cpp", "desk/evening/mount_book.h", false).isEmpty());
    QVERIFY(!broken("desk/stations/pole/pole_station.h", "desk/session.h", false).isEmpty());
    QVERIFY(!broken("desk/pictures/pole_map.h", "desk/stations/pole/pole_station.h", false).isEmpty());
    QVERIFY(!broken("desk/widgets/marks.h", "desk/evening/rig_book.h", false).isEmpty());
    QVERIFY(!broken("desk/evening/rig_book.cpp", "desk/stations/station.h", false).isEmpty());
    QVERIFY(!broken("desk/main_window.cpp", "edge/devices/sim/simulated_night.h", false).isEmpty());
    QVERIFY(broken("desk/start.cpp", "edge/devices/sim/simulated_night.h", false).isEmpty());
    QVERIFY(broken("core/procedure/slew.h", "core/rig/rig.h", false).isEmpty());
}

void LayeringTest::sourcesCarryNoSideEntrances() {
    // The simulator's truth must not reach the window.
    QDirIterator files(SOURCE_DIR "/src/desk", {"*.h", "*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
    while (files.hasNext()) {
        QFile file(files.next());
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QString text = QString::fromUtf8(file.readAll());
        for (const char* truth :
             {"trueAxis", "axisEast_arcmin", "axisHigh_arcmin", "decBacklash_arcsec", "guideRateError"})
            QVERIFY2(!text.contains(truth), qPrintable(file.fileName() + " reads " + truth));
    }
}

namespace {
// Types and constants of the unnamed namespaces of a source. Functions are left out: they are told apart by
// what they take.
QStringList hiddenNames(QString text) {
    text.remove(QRegularExpression("//[^\n]*"));
    text.replace(QRegularExpression("\"(\\\\.|[^\"\\\\])*\""), "\"\"");
    text.replace(QRegularExpression("'(\\\\.|[^'\\\\])'"), "' '");
    static const QRegularExpression begin("\\bnamespace\\s*\\{");
    static const QRegularExpression type("^(?:struct|class|enum class|enum|union)\\s+(\\w+)");
    static const QRegularExpression alias("^using\\s+(\\w+)\\s*=");
    static const QRegularExpression constant(
        "^(?:static |inline )*const(?:expr|init)?\\s[^=(]*?(\\w+)(?:\\[[^\\]]*\\])*$");
    QStringList names;
    for (auto at = begin.match(text); at.hasMatch(); at = begin.match(text, at.capturedEnd())) {
        QString top; // what stands in the namespace itself, bodies left out
        int depth = 1;
        for (auto i = at.capturedEnd(); i < text.size() && depth > 0; ++i) {
            const QChar c = text[i];
            depth += c == '{' ? 1 : c == '}' ? -1 : 0;
            if (depth == 1)
                top += c == '}' ? ';' : c;
            else if (depth == 2 && c == '{')
                top += '=';
        }
        for (const QString& statement : top.split(';')) {
            const QString words = statement.simplified();
            const QString head = words.section('=', 0, 0).trimmed();
            if (const auto t = type.match(words); t.hasMatch())
                names << t.captured(1);
            else if (const auto a = alias.match(words); a.hasMatch())
                names << a.captured(1);
            else if (const auto c = constant.match(head); c.hasMatch())
                names << c.captured(1);
        }
    }
    return names;
}

// Names of variables and parameters inside functions, as far as such simple patterns see them.
QSet<QString> localNames(QString text) {
    text.remove(QRegularExpression("//[^\n]*"));
    text.replace(QRegularExpression("\"(\\\\.|[^\"\\\\])*\""), "\"\"");
    static const QString type(
        "(?:auto|double|float|int|long|unsigned|size_t|bool|[A-Z]\\w+|std::\\w+(?:<[^;=(){}]*>)?)");
    static const QRegularExpression variable("\n[ ]+(?:constexpr |const |static )*" + type +
                                             "[&*]{0,2} (\\w+)\\s*(?:=|;|\\{|\\()");
    static const QRegularExpression parameter("[(,] ?(?:const )?" + type +
                                              "[&*]{0,2} (\\w+)(?=[,)]|\\s*:\\s)");
    static const QRegularExpression binding("auto&{0,2} \\[([^\\]]+)\\]");
    QSet<QString> names;
    for (const QRegularExpression* of : {&variable, &parameter})
        for (auto at = of->globalMatch(text); at.hasNext();)
            names << at.next().captured(1);
    for (auto at = binding.globalMatch(text); at.hasNext();)
        for (const QString& name : at.next().captured(1).split(','))
            names << name.trimmed();
    return names;
}
} // namespace

// Several sources are compiled as one, and a new file moves the others: hidden names of a library must not
// meet anywhere in it, nor may one be hidden by a variable elsewhere.
void LayeringTest::hiddenNamesMeetNowhere() {
    QCOMPARE(hiddenNames(
                 "namespace a { namespace {\nstruct B { int c; };\nconstexpr int d[] = {1};\nusing E = int;\n"
                 "const char* const f = \"g\";\nint h(int i) { const int j = 1; return j; }\n} }"),
             (QStringList{"B", "d", "E", "f"}));
    QCOMPARE(localNames(
                 "void f(double a, const Rig& b) {\n    const auto c = 1;\n    for (const auto& [d, e] : g)\n"
                 "        QString h;\n}\nconstexpr int k = 3;"),
             (QSet<QString>{"a", "b", "c", "d", "e", "h"}));
    const QList<QStringList> programs{{"src/core"},
                                      {"src/edge"},
                                      {"src/charts"},
                                      {"src/desk"},
                                      {"src/tool"},
                                      {"tests/core"},
                                      {"tests/edge", "tests/tool"},
                                      {"tests/desk"}};
    for (const QStringList& folders : programs) {
        QHash<QString, QString> seen;
        QHash<QString, QSet<QString>> locals; // of each file
        for (const QString& folder : folders) {
            QDirIterator files(SOURCE_DIR "/" + folder, {"*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
            while (files.hasNext()) {
                QFile file(files.next());
                QVERIFY(file.open(QIODevice::ReadOnly));
                const QString text = QString::fromUtf8(file.readAll());
                locals[file.fileName()] = localNames(text);
                for (const QString& name : hiddenNames(text)) {
                    const QString before = seen.value(name, file.fileName());
                    QVERIFY2(before == file.fileName(),
                             qPrintable(name + " in " + before + " and in " + file.fileName()));
                    seen[name] = file.fileName();
                }
            }
        }
        QVERIFY(!seen.isEmpty());
        QStringList hidden;
        for (auto file = locals.begin(); file != locals.end(); ++file)
            for (const QString& name : file.value())
                if (seen.value(name, file.key()) != file.key())
                    hidden << name + " of " + seen.value(name) + " in " + file.key();
        QVERIFY2(hidden.isEmpty(), qPrintable(hidden.join("\n")));
    }
}

NORDSTJERNA_TEST(LayeringTest)
#include "layering_test.moc"
