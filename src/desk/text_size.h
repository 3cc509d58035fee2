// The window follows the desktop's text size, with all that holds text: by a factor, as far as the screen has
// room.
#pragma once

#include <QSize>

namespace nordstjerna {

// points: of the desktop's usual text; screen: what windows may use of it. From 1 to 1.5.
double textFactor(double points, const QSize& screen);
// Asks the desktop, and lets the window library draw everything by that factor. Before the application object
// is made; a factor that the person has set for it stays.
void followTextSize(int argc, char** argv);

} // namespace nordstjerna
