#include "desk/text_size.h"

#include <QFont>
#include <QGuiApplication>
#include <QScreen>
#include <algorithm>
#include <vector>

namespace nordstjerna {

namespace {
constexpr double usual_pt = 11.0; // at most, on desktops where nothing was changed
constexpr double largestText = 1.5;
constexpr QSize leastWindow(1100, 700);
constexpr auto factorName = "QT_SCALE_FACTOR";
} // namespace

double textFactor(double points, const QSize& screen) {
    const double room = std::min(static_cast<double>(screen.width()) / leastWindow.width(),
                                 static_cast<double>(screen.height()) / leastWindow.height());
    return std::clamp(points / usual_pt, 1.0, std::clamp(room, 1.0, largestText));
}

void followTextSize(int argc, char** argv) {
    if (!qEnvironmentVariableIsEmpty(factorName))
        return;
    // The desktop tells it to an application object alone, which takes its own words from what it is given.
    std::vector<char*> words(argv, argv + argc + 1);
    int count = argc;
    const QGuiApplication asks(count, words.data());
    const QScreen* screen = QGuiApplication::primaryScreen();
    if (!screen)
        return;
    const double factor = textFactor(QGuiApplication::font().pointSizeF(), screen->availableSize());
    if (factor > 1.0)
        qputenv(factorName, QByteArray::number(factor, 'f', 2));
}

} // namespace nordstjerna
