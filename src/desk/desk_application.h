// The application object: what a slot or an event handler throws ends that piece of work, not the program.
#pragma once

#include <QApplication>
#include <functional>

#include "core/base/problem.h"

namespace nordstjerna {

class DeskApplication : public QApplication {
    Q_OBJECT
public:
    using QApplication::QApplication;
    bool notify(QObject* receiver, QEvent* event) override;
    // Who tells the person; until then it goes to standard error.
    void setTold(std::function<void(const Problem&)> told) { told_ = std::move(told); }

private:
    std::function<void(const Problem&)> told_;
};

} // namespace nordstjerna
