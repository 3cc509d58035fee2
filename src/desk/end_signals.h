// SIGTERM, SIGINT and SIGHUP as a signal of the event loop: the program is asked to end.
#pragma once

#include <QObject>

namespace nordstjerna {

// One for the whole program.
class EndSignals : public QObject {
    Q_OBJECT
public:
    EndSignals();
    ~EndSignals() override;

Q_SIGNALS:
    void wanted();
};

} // namespace nordstjerna
