#include "desk/end_signals.h"

#include <sys/socket.h>
#include <unistd.h>

#include <QSocketNotifier>
#include <array>
#include <csignal>

namespace nordstjerna {

namespace {
// What a handler may use: a socket is written there and read in the event loop.
int ends[2] = {-1, -1};
constexpr std::array heard{SIGTERM, SIGINT, SIGHUP};

void handle(int) {
    const char one = 1;
    static_cast<void>(::write(ends[0], &one, sizeof one) == 1);
}
} // namespace

EndSignals::EndSignals() {
    if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0, ends) != 0)
        return;
    auto* notifier = new QSocketNotifier(ends[1], QSocketNotifier::Read, this);
    connect(notifier, &QSocketNotifier::activated, this, [this] {
        char one = 0;
        if (::read(ends[1], &one, sizeof one) > 0)
            Q_EMIT wanted();
    });
    struct sigaction action {};
    action.sa_handler = handle;
    action.sa_flags = SA_RESTART;
    for (int s : heard)
        ::sigaction(s, &action, nullptr);
}

EndSignals::~EndSignals() {
    for (int s : heard)
        std::signal(s, SIG_DFL);
    for (int& end : ends) {
        if (end >= 0)
            ::close(end);
        end = -1;
    }
}

} // namespace nordstjerna
