// Work beside the window: one piece at a time in a thread of its own, then what it returned in the window's.
// What is wished meanwhile waits, the newest only. Ends with the last piece; one that throws is told and
// over.
#pragma once

#include <QObject>
#include <functional>
#include <future>

namespace nordstjerna {

class ProblemList;

class Beside : public QObject {
    Q_OBJECT
public:
    using Finish = std::function<void()>; // in the window's thread
    using Work = std::function<Finish()>;

    explicit Beside(ProblemList& problems) : problems_(problems) {}
    ~Beside() override;
    void run(Work work);
    bool busy() const { return busy_; }

Q_SIGNALS:
    void changed(); // it began, or has finished

private:
    ProblemList& problems_;
    std::future<void> thread_;
    Work next_;
    bool busy_ = false;
};

} // namespace nordstjerna
