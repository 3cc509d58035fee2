// Nothing that is written on the screen is cut: every station, at the sizes of a laptop, in every theme.
#include <QAbstractButton>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QTemporaryDir>
#include <QtTest>

#include <functional>

#include "desk/main_window.h"
#include "desk/start.h"
#include "desk/stations/station.h"
#include "desk/text_size.h"
#include "desk/theme.h"
#include "painted_text.h"
#include "registry.h"

using namespace nordstjerna;

class FitTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void cleanupTestCase() { window_.reset(); }
    void aCutWordIsSeen();
    void textFollowsTheDesktop();
    void wordsFit_data();
    void wordsFit();
    void paintedWordsFit_data() { wordsFit_data(); }
    void paintedWordsFit();
    void aBadlyPaintedWordIsSeen();
    void nothingIsWiderThanItsRoom_data() { wordsFit_data(); }
    void nothingIsWiderThanItsRoom();

private:
    QStringList everyPage(QSize size, const std::function<QStringList(QWidget&)>& look);
    QTemporaryDir data_;
    std::unique_ptr<MainWindow> window_;
};

namespace {
int widthOf(const QWidget& w, const QString& text) {
    int most = 0;
    for (const QString& line : text.split('\n'))
        most = std::max(most, w.fontMetrics().horizontalAdvance(line));
    return most;
}

// What is cut, as "text (class name): needs, has".
QStringList cutIn(QWidget& window) {
    QStringList cut;
    const auto look = [&](const QWidget& w, const QString& text, int room) {
        const int needed = widthOf(w, text);
        if (needed > room + 2) // the last letter's own margin
            cut << QString("\"%1\" (%2 %3): %4 px of %5")
                       .arg(text, w.metaObject()->className(), w.objectName())
                       .arg(room)
                       .arg(needed);
    };
    for (QWidget* w : window.findChildren<QWidget*>()) {
        if (!w->isVisible() || w->visibleRegion().isEmpty())
            continue;
        if (auto* label = qobject_cast<QLabel*>(w)) {
            const bool plain = label->textFormat() != Qt::RichText && !Qt::mightBeRichText(label->text());
            if (plain && !label->wordWrap() && label->pixmap().isNull())
                look(*label, label->text(), label->contentsRect().width() - 2 * label->margin());
        } else if (auto* button = qobject_cast<QAbstractButton*>(w)) {
            if (!button->text().isEmpty())
                look(*button, QString(button->text()).remove('&'), button->width() - 8);
        } else if (auto* combo = qobject_cast<QComboBox*>(w)) {
            look(*combo, combo->currentText(), combo->width() - 24);
        } else if (auto* number = qobject_cast<QDoubleSpinBox*>(w)) {
            look(*number, number->text(), number->findChild<QLineEdit*>()->contentsRect().width() - 2);
        }
        const bool control = qobject_cast<QAbstractButton*>(w) || qobject_cast<QComboBox*>(w) ||
                             qobject_cast<QDoubleSpinBox*>(w);
        if (control && w->height() + 3 < w->minimumSizeHint().height()) // a ring of focus takes up two
            cut << QString("%1 %2 is squeezed: %3 px high of %4")
                       .arg(w->metaObject()->className(), w->objectName())
                       .arg(w->height())
                       .arg(w->minimumSizeHint().height());
    }
    return cut;
}
} // namespace

namespace {
// Pages that are wider than what shows them, with the widest things on them.
QStringList tooWideIn(QWidget& window) {
    QStringList all;
    for (QScrollArea* area : window.findChildren<QScrollArea*>()) {
        if (!area->isVisible() || !area->widget() || area->widget()->width() <= area->viewport()->width())
            continue;
        QStringList why;
        for (QWidget* w : area->widget()->findChildren<QWidget*>())
            if (w->isVisible() && w->minimumSizeHint().width() > area->viewport()->width() / 3)
                why << QString("%1 %2 %3")
                           .arg(w->metaObject()->className(), w->objectName())
                           .arg(w->minimumSizeHint().width());
        all << QString("%1 px in %2: %3")
                   .arg(area->widget()->width())
                   .arg(area->viewport()->width())
                   .arg(why.join(", "));
    }
    return all;
}
} // namespace

void FitTest::initTestCase() {
    loadTypefaces();
    ThemeSwitch::instance().use("Dusk");
    StartWishes wishes;
    wishes.speed = 0.0;
    wishes.dataFolder = data_.path().toStdString();
    auto started = beginEvening(wishes);
    QVERIFY2(started.has_value(), started ? "" : started.error().text().c_str());
    window_ = std::make_unique<MainWindow>(std::move(*started));
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
}

void FitTest::aCutWordIsSeen() {
    QWidget box;
    auto* label = new QLabel("a sentence that is far too long for its label", &box);
    label->setGeometry(0, 0, 40, 20);
    auto* good = new QLabel("a", &box);
    good->setGeometry(0, 30, 40, 20);
    box.show();
    QVERIFY(QTest::qWaitForWindowExposed(&box));
    QCOMPARE(cutIn(box).size(), 1);
}

void FitTest::wordsFit_data() {
    QTest::addColumn<QSize>("size");
    QTest::newRow("1280 x 800") << QSize(1280, 800);
    QTest::newRow("1100 x 700") << QSize(1100, 700);
    QTest::newRow("1920 x 1080") << QSize(1920, 1080);
    QTest::newRow("1920 x 1080 with text of 150 %") << QSize(1280, 720);
}

// What a look at each page of each station finds.
QStringList FitTest::everyPage(QSize size, const std::function<QStringList(QWidget&)>& look) {
    window_->resize(size);
    QStringList all;
    const auto settled = [&] {
        QStringList found = look(*window_);
        // A label of several lines and its page agree on their sizes in a few rounds.
        for (int round = 0; round < 20 && !found.isEmpty(); ++round) {
            QCoreApplication::sendPostedEvents(); // what layouts ask of each other
            QCoreApplication::processEvents();
            found = look(*window_);
        }
        return found;
    };
    for (const StationInfo& station : stationTable) {
        window_->showStation(station.id);
        const auto pages = window_->station(station.id)->findChildren<QPushButton*>("phase");
        for (int i = -1; i < pages.size(); ++i) {
            if (i >= 0) {
                if (!pages[i]->isVisible() || !pages[i]->isEnabled())
                    continue;
                pages[i]->click();
            }
            QCoreApplication::processEvents();
            for (const QString& text : settled())
                all << QString("%1 %2: %3").arg(station.key, i >= 0 ? pages[i]->text() : QString(), text);
        }
        if (!pages.isEmpty())
            pages.front()->click();
    }
    all.removeDuplicates();
    for (const QString& text : all)
        qInfo("%s", qPrintable(text));
    return all;
}

void FitTest::wordsFit() {
    QFETCH(QSize, size);
    QCOMPARE(everyPage(size, cutIn).size(), 0);
}

void FitTest::paintedWordsFit() {
    QFETCH(QSize, size);
    QCOMPARE(everyPage(size, paintedBadlyIn).size(), 0);
}

void FitTest::aBadlyPaintedWordIsSeen() {
    struct Painted : QWidget {
        void paintEvent(QPaintEvent*) override {
            QPainter p(this);
            p.drawText(20, 30, "well");
            p.drawText(20, 60, "one");
            p.drawText(24, 61, "over another");
            p.drawText(180, 90, "too far to the right");
            p.translate(40, 150);
            p.rotate(-90);
            p.drawText(0, 0, "upright");
        }
    } painted;
    painted.resize(200, 160);
    QStringList texts;
    for (const PaintedText& t : paintedBy(painted))
        texts << t.text;
    QCOMPARE(texts, QStringList({"well", "one", "over another", "too far to the right", "upright"}));
    const QStringList bad = paintedBadly(painted);
    QCOMPARE(bad.size(), 2);
    QVERIFY(bad[0].contains("lies over \"one\"") && bad[1].contains("is cut"));
}

void FitTest::textFollowsTheDesktop() {
    const QSize large(1920, 1080), laptop(1280, 800);
    QCOMPARE(textFactor(9.0, large), 1.0);
    QCOMPARE(textFactor(11.0, large), 1.0);
    QCOMPARE(textFactor(16.5, large), 1.5);
    QCOMPARE(textFactor(33.0, large), 1.5);
    QCOMPARE(textFactor(13.2, large), 1.2);
    // As far as the whole window has room; and no smaller than it was drawn.
    QVERIFY(std::abs(textFactor(16.5, laptop) - 800.0 / 700.0) < 1e-9);
    QCOMPARE(textFactor(16.5, QSize(800, 600)), 1.0);
    QCOMPARE(textFactor(-1.0, large), 1.0); // the desktop does not tell
}

void FitTest::nothingIsWiderThanItsRoom() {
    QFETCH(QSize, size);
    QCOMPARE(everyPage(size, tooWideIn).size(), 0);
}

NORDSTJERNA_TEST(FitTest)
#include "fit_test.moc"
