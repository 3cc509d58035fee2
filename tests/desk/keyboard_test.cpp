// A whole night by the keyboard alone: nothing here clicks, and nothing is called but what keys reach.
#include <QComboBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QtTest>

#include "desk/main_window.h"
#include "desk/start.h"
#include "desk/stations/expose/expose_station.h"
#include "desk/stations/free/free_station.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/pole/pole_station.h"
#include "desk/stations/review/review_station.h"
#include "desk/theme.h"
#include "in_english.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

class KeyboardTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void init();
    void cleanup() { window_.reset(); }
    void aWholeNight();
    void everyFieldIsReached_data();
    void everyFieldIsReached();

private:
    void press(const char* keys) const { QTest::keySequence(focused(), QKeySequence(keys)); }
    void type(const char* text) const { QTest::keyClicks(focused(), text); }
    QWidget* focused() const {
        QWidget* w = QApplication::focusWidget();
        return w ? w : window_.get();
    }
    bool tabTo(const QString& name) const;
    bool waitIdle() const {
        return QTest::qWaitFor([&] { return !window_->session().procedures().busy(); }, 240000);
    }
    bool waitFor(const std::function<bool()>& what) const { return QTest::qWaitFor(what, 240000); }
    template <typename T>
    T* at(StationId id) const {
        return static_cast<T*>(window_->station(id));
    }
    QString trouble() const {
        const auto& p = window_->session().problems().newest();
        return p ? inEnglish(qs(p->text())) : QString();
    }
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void KeyboardTest::initTestCase() {
    loadTypefaces();
    ThemeSwitch::instance().use("Dusk");
}

void KeyboardTest::init() {
    data_ = std::make_unique<QTemporaryDir>();
    Scenario s = seriesScenario();
    s.start = *parseInstant("2026-10-14T20:00:00");
    window_ = std::make_unique<MainWindow>(beginSimulated(s, sharedIndex(), data_->path().toStdString()));
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get(), 60000));
    window_->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(window_.get(), 60000));
}

// Goes on by Tab until what bears the name has the focus; false when it comes round without it.
bool KeyboardTest::tabTo(const QString& name) const {
    for (int i = 0; i < 150; ++i) {
        if (QWidget* w = QApplication::focusWidget(); w && w->objectName() == name)
            return true;
        QTest::keyClick(focused(), Qt::Key_Tab);
    }
    return false;
}

void KeyboardTest::aWholeNight() {
    // The pole.
    press("Ctrl+3");
    press("Ctrl+M");
    QVERIFY(waitIdle());
    QVERIFY2(trouble().isEmpty(), qPrintable(trouble()));
    QVERIFY(at<PoleStation>(StationId::pole)->book().path().size() > 0 ||
            !at<PoleStation>(StationId::pole)->summary().isEmpty());
    // Focus.
    press("Ctrl+Shift+U");
    QVERIFY(waitIdle());
    QVERIFY2(trouble().isEmpty(), qPrintable(trouble()));
    QVERIFY(window_->station(StationId::focus)->state() == StationState::good);
    // A target, and there.
    press("Ctrl+T");
    type("ngc 891");
    press("Return");
    QCOMPARE(window_->session().targets().name(), std::string("NGC 891"));
    press("Ctrl+E");
    QVERIFY(waitIdle());
    QCOMPARE(window_->station(StationId::centre)->state(), StationState::good);
    // What a pulse does, where it is best measured.
    press("Ctrl+5");
    QVERIFY(tabTo("slewThere"));
    press("Space");
    QVERIFY(waitIdle());
    press("Ctrl+R");
    QVERIFY(waitIdle());
    QVERIFY2(window_->session().calibrationBook().calibration().has_value(), qPrintable(trouble()));
    // The mount left alone, and stopped in good order.
    press("Ctrl+Shift+R");
    auto* free = at<FreeStation>(StationId::freeRun);
    QVERIFY(waitFor([&] { return free->run().rows.size() > 150; }));
    press("Ctrl+Shift+.");
    QVERIFY(waitIdle());
    // Guiding on the target, its gain changed meanwhile.
    press("Ctrl+E");
    QVERIFY(waitIdle());
    press("Ctrl+G");
    auto* guide = at<GuideStation>(StationId::guide);
    QVERIFY2(waitFor([&] { return guide->guiding() && guide->run().rows.size() > 60; }),
             qPrintable(trouble()));
    press("Ctrl+7");
    QVERIFY(tabTo("controllers"));
    press("Space");
    QVERIFY(tabTo(qs(settingId(SettingKey::kindRa))));
    for (int i = 0; i < 5 && inEnglish(static_cast<QComboBox*>(focused())->currentText()) != "proportional";
         ++i)
        press("Down");
    QVERIFY(tabTo("gain-ra"));
    press("Ctrl+A");
    type("0.45");
    press("Return");
    QVERIFY(std::abs(window_->session().settings().book().value(SettingKey::gainRa) - 0.45) < 1e-9);
    press("Ctrl+G");
    QVERIFY(waitIdle());
    QVERIFY(!guide->guiding());
    // A series of short frames.
    press("Ctrl+8");
    QVERIFY(tabTo("series-exposure"));
    press("Ctrl+A");
    type("60");
    press("Return");
    press("Ctrl+Shift+E");
    auto* expose = at<ExposeStation>(StationId::expose);
    QVERIFY2(waitFor([&] { return expose->frames().size() >= 3; }), qPrintable(trouble()));
    press("Ctrl+Shift+.");
    QVERIFY(waitIdle());
    // What was done: the newest of the list, opened.
    press("Ctrl+9");
    auto* review = at<ReviewStation>(StationId::review);
    QVERIFY(window_->session().writes().flush(60.0));
    QVERIFY(waitFor([&] { return !review->reading(); }));
    QVERIFY(tabTo("entries"));
    press("Down");
    press("Return");
    QVERIFY(waitFor([&] { return !review->reading() && !review->opened().entry.id.empty(); }));
    // The mount goes to rest.
    press("Ctrl+Shift+P");
    QVERIFY(waitFor([&] { return window_->session().mount().state().parked; }));
}

void KeyboardTest::everyFieldIsReached_data() {
    QTest::addColumn<int>("station");
    for (const StationInfo& s : stationTable)
        QTest::newRow(s.key) << static_cast<int>(s.id);
}

// By Tab from one field to the next: each that can be used, in each station as it stands.
void KeyboardTest::everyFieldIsReached() {
    QFETCH(int, station);
    window_->showStation(static_cast<StationId>(station));
    QWidget* shown = window_->station(static_cast<StationId>(station));
    QCoreApplication::processEvents();
    QSet<QWidget*> wanted;
    for (QWidget* w : shown->findChildren<QWidget*>())
        if (w->isVisible() && w->isEnabled() && (w->focusPolicy() & Qt::TabFocus) && !w->focusProxy() &&
            w->window() == window_.get())
            wanted.insert(w);
    QVERIFY(!wanted.isEmpty());
    QWidget* first = focused();
    for (int i = 0; i < 400 && !wanted.isEmpty(); ++i) {
        QTest::keyClick(focused(), Qt::Key_Tab);
        wanted.remove(focused());
        if (i > 5 && focused() == first)
            break;
    }
    QStringList left;
    for (const QWidget* w : wanted)
        left << QString("%1 %2").arg(w->metaObject()->className(), w->objectName());
    QVERIFY2(left.isEmpty(), qPrintable(left.join(", ")));
}

NORDSTJERNA_TEST(KeyboardTest)
#include "keyboard_test.moc"
