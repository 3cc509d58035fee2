#include "desk/desk_application.h"

#include <cstdio>

namespace nordstjerna {

bool DeskApplication::notify(QObject* receiver, QEvent* event) {
    Text why;
    try {
        return QApplication::notify(receiver, event);
    } catch (const std::exception& e) {
        why = std::string(e.what());
    } catch (...) {
        why = Text::say("of an unknown kind");
    }
    const Problem p{
        Text::say("Something went wrong in this program."), Text::say("Unexpected failure: %1.").arg(why),
        Text::say("What was asked for last was not done; all else goes on. What was recorded is kept.")};
    std::fprintf(stderr, "%s\n", p.text().c_str());
    if (told_)
        told_(p);
    return true;
}

} // namespace nordstjerna
