// What only stand-ins can do: hands at the mount, the pace of time, faults that happen.
#pragma once

#include <functional>
#include <string>

class QAction;
class QMenu;
class QString;

namespace nordstjerna {

class SimulatedNight;

struct SimulatorMenuParts {
    // Adds an action that the search of actions finds, too.
    std::function<QAction*(QMenu*, const QString& text, const std::function<void()>& what)> add;
    std::function<void()> showHands; // or hides them
    std::function<void()> paceChanged;
    std::string night; // the shipped one that this is
    std::function<void(const std::string& night)> beginNight;
};

// The night must outlive the menu.
void fillSimulatorMenu(QMenu& menu, SimulatedNight& night, const SimulatorMenuParts& parts);

} // namespace nordstjerna
