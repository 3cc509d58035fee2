#include "desk/desk_application.h"

#include <cstdio>

namespace nordstjerna {

bool DeskApplication::notify(QObject* receiver, QEvent* event) {
    std::string why;
    try {
        return QApplication::notify(receiver, event);
    } catch (const std::exception& e) {
        why = e.what();
    } catch (...) {
        why = "of an unknown kind";
    }
    const Problem p{"Something went wrong in this program.", "Unexpected failure: " + why + ".",
                    "What was asked for last was not done; all else goes on. What was recorded is kept."};
    std::fprintf(stderr, "%s\n", p.text().c_str());
    if (told_)
        told_(p);
    return true;
}

} // namespace nordstjerna
