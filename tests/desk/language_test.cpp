// Every text that a person reads can be said in another language: the whole window in one that nobody
// speaks, and what is not of it is found.
#include <QAbstractButton>
#include <QAction>
#include <QComboBox>
#include <QDirIterator>
#include <QLabel>
#include <QLineEdit>
#include <QMenuBar>
#include <QTemporaryDir>
#include <QtTest>

#include "desk/main_window.h"
#include "desk/start.h"
#include "desk/stations/free/free_station.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/theme.h"
#include "painted_text.h"
#include "pseudo_language.h"
#include "registry.h"

using namespace nordstjerna;

class LanguageTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase() {
        loadTypefaces();
        ThemeSwitch::instance().use("Dusk");
    }
    void cleanup() {
        window_.reset();
        QCoreApplication::removeTranslator(&pseudo_);
    }
    void aTextIsRecognised();
    void nothingStandsOutsideTheCatalogue();
    void norWhileItWorks();

private:
    void open();
    void look(const QString& when);
    void tellFound();
    bool waitIdle();
    PseudoLanguage pseudo_;
    QStringList found_;
    QStringList foreign(QWidget& widget) const;
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
    // Names, keys and short forms of the trade, the same in every language; of Review, all that the log
    // holds.
    QSet<QString> same_;
};

namespace {
QSet<QString> wordsIn(const QString& text) {
    const QStringList found = PseudoLanguage::foreignIn(text, {});
    return {found.begin(), found.end()};
}

// Files keep the English: what the night log holds is shown as it was written.
QSet<QString> wordsOfTheLog() {
    QSet<QString> words;
    QDirIterator records(QString::fromStdString((demoFolder() / "past" / "records").string()), QDir::Files);
    while (records.hasNext()) {
        QFile file(records.next());
        if (file.open(QIODevice::ReadOnly))
            words.unite(wordsIn(QString::fromUtf8(file.readAll())));
    }
    return words;
}
} // namespace

void LanguageTest::open() {
    QVERIFY(QCoreApplication::installTranslator(&pseudo_));
    found_.clear();
    data_ = std::make_unique<QTemporaryDir>();
    StartWishes wishes;
    wishes.speed = 0.0;
    wishes.dataFolder = data_->path().toStdString();
    auto started = beginEvening(wishes);
    QVERIFY2(started.has_value(), started ? "" : started.error().text().c_str());
    window_ = std::make_unique<MainWindow>(std::move(*started));
    window_->resize(1280, 800);
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    QCoreApplication::processEvents();
    same_ = wordsIn("Nordstjerna Ctrl Shift Del Esc UTC CEST Etc min MIN adu hPa ppm Dusk Day Ember "
                    "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec OCT");
    const Rig& rig = window_->session().rigs().rig();
    for (const std::string& name : {rig.name, rig.mount.name, rig.opticsName, rig.siteName, rig.timeZone,
                                    window_->session().targets().name()})
        same_.unite(wordsIn(QString::fromStdString(name)));
}

void LanguageTest::aTextIsRecognised() {
    QVERIFY(
        PseudoLanguage::foreignIn(PseudoLanguage::spoken("Slew to %1 <b>now</b> &amp; stop"), {}).isEmpty());
    QCOMPARE(PseudoLanguage::foreignIn("12 ms Stop it, NGC 891", {"NGC"}), QStringList{"Stop"});
    QCOMPARE(PseudoLanguage::foreignIn("2026-10-14-guided.ecsv in /tmp/frames. free", {}),
             QStringList{"free"});
    QCOMPARE(PseudoLanguage::spoken("%1 of %2"), QString::fromUtf8("⟦%1 ǿƒ %2⟧"));
}

// Each as "text (class name)".
QStringList LanguageTest::foreign(QWidget& widget) const {
    QStringList all;
    const auto look = [&](const QString& text, const QString& where) {
        if (!PseudoLanguage::foreignIn(text, same_).isEmpty())
            all << QString("\"%1\" (%2)").arg(text.simplified().left(120), where);
    };
    for (const auto& [text, outline] : paintedBy(widget, Painted::withChildren))
        look(text, "drawn");
    QList<QWidget*> every = widget.findChildren<QWidget*>();
    every << &widget;
    for (QWidget* w : every) {
        if (!w->isVisibleTo(&widget))
            continue;
        const QString where = QString("%1 %2").arg(w->metaObject()->className(), w->objectName());
        look(w->toolTip(), where + ", tool tip");
        look(w->accessibleName(), where + ", name");
        look(w->accessibleDescription(), where + ", description");
        if (auto* combo = qobject_cast<QComboBox*>(w))
            for (int i = 0; i < combo->count(); ++i)
                look(combo->itemText(i), where + ", item");
        if (auto* line = qobject_cast<QLineEdit*>(w))
            look(line->placeholderText(), where + ", placeholder");
    }
    return all;
}

// What is drawn and named now, and what is found in no catalogue.
void LanguageTest::look(const QString& when) {
    QCoreApplication::processEvents();
    for (const QString& text : foreign(*window_))
        found_ << QString("%1: %2").arg(when, text);
}

void LanguageTest::tellFound() {
    found_.removeDuplicates();
    for (const QString& text : found_)
        qInfo("%s", qPrintable(text)); // one message alone would be cut short
    QCOMPARE(found_.size(), 0);
}

bool LanguageTest::waitIdle() {
    return QTest::qWaitFor([&] { return !window_->session().procedures().busy(); }, 300000);
}

void LanguageTest::nothingStandsOutsideTheCatalogue() {
    open();
    look("begun");
    QSet<QString> nights = same_;
    for (const ShippedNight& n : shippedNights())
        nights.unite(wordsIn(QString::fromStdString(n.title)));
    for (QAction* action : window_->findChildren<QAction*>())
        for (const QString& text : {action->text(), action->toolTip(), action->statusTip()})
            if (!PseudoLanguage::foreignIn(text, nights).isEmpty())
                found_ << QString("\"%1\" (action)").arg(text);
    for (int i = 1; i <= 9; ++i) {
        QTest::keyClick(window_.get(), static_cast<Qt::Key>(Qt::Key_0 + i), Qt::ControlModifier);
        QCoreApplication::processEvents();
        if (i == 9)
            same_.unite(wordsOfTheLog());
        look(QString::number(i));
    }
    tellFound();
}

// Procedures under way, their steps, results and findings.
void LanguageTest::norWhileItWorks() {
    open();
    for (const StationId id : {StationId::focus, StationId::pole, StationId::rates}) {
        const QString name = stationInfo(id).key;
        window_->showStation(id);
        QTest::mouseClick(window_->station(id)->primary(), Qt::LeftButton);
        QVERIFY2(QTest::qWaitFor([&] { return window_->session().procedures().busy(); }, 60000),
                 qPrintable(name));
        look(name + " under way");
        if (id == StationId::focus) // frames without end
            QTest::mouseClick(window_->station(id)->primary(), Qt::LeftButton);
        QVERIFY2(waitIdle(), qPrintable(name));
        look(name + " done");
    }
    window_->showStation(StationId::centre);
    QTest::keyClick(window_.get(), Qt::Key_E, Qt::ControlModifier);
    look("centre under way");
    QVERIFY(waitIdle());
    look("centre done");
    window_->showStation(StationId::guide);
    auto* guide = static_cast<GuideStation*>(window_->station(StationId::guide));
    QTest::mouseClick(guide->primary(), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return guide->run().rows.size() > 100; }, 300000));
    look("guide under way");
    QTest::mouseClick(guide->primary(), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return !guide->guiding(); }, 60000));
    look("guide done");
    window_->showStation(StationId::freeRun);
    auto* free = static_cast<FreeStation*>(window_->station(StationId::freeRun));
    QTest::mouseClick(free->primary(), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return free->run().rows.size() > 300; }, 300000));
    look("free run under way");
    QTest::mouseClick(free->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    look("free run done");
    window_->showStation(StationId::expose);
    QTest::mouseClick(window_->station(StationId::expose)->primary(), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return window_->session().procedures().busy(); }, 60000));
    look("expose begins");
    QVERIFY(QTest::qWaitFor([&] { return guide->guiding(); }, 60000));
    look("expose under way");
    QTest::mouseClick(window_->station(StationId::expose)->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    look("expose done");
    tellFound();
}

NORDSTJERNA_TEST(LanguageTest)
#include "language_test.moc"
