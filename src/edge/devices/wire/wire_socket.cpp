#include "edge/devices/wire/wire_socket.h"

#include <arpa/inet.h>
#include <fcntl.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <memory>
#include <utility>

#include "core/base/number_text.h"

namespace nordstjerna {

namespace {

const Text addressRemedy = Text::say("Check that the server runs, and its name and port.");

class Deadline {
public:
    explicit Deadline(double seconds)
        : end_(std::chrono::steady_clock::now() +
               std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                   std::chrono::duration<double>(seconds))) {}
    int left_ms() const {
        const auto left =
            std::chrono::duration_cast<std::chrono::milliseconds>(end_ - std::chrono::steady_clock::now());
        return static_cast<int>(std::max<long>(0, left.count()));
    }

private:
    std::chrono::steady_clock::time_point end_;
};

// Whether it can be read from or written to within that time.
bool ready(int descriptor, short what, const Deadline& deadline) {
    for (;;) {
        pollfd p{descriptor, what, 0};
        const int n = ::poll(&p, 1, deadline.left_ms());
        if (n >= 0 || errno != EINTR)
            return n > 0;
    }
}

void prepare(int descriptor) {
    const int flags = ::fcntl(descriptor, F_GETFL);
    ::fcntl(descriptor, F_SETFL, flags | O_NONBLOCK);
    ::fcntl(descriptor, F_SETFD, FD_CLOEXEC);
    const int on = 1;
    // A pulse must not wait for more to be sent with it; and a peer whose cable was pulled is found out.
    ::setsockopt(descriptor, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    ::setsockopt(descriptor, SOL_SOCKET, SO_KEEPALIVE, &on, sizeof on);
    const int idle_s = 5, every_s = 2, times = 3;
    ::setsockopt(descriptor, IPPROTO_TCP, TCP_KEEPIDLE, &idle_s, sizeof idle_s);
    ::setsockopt(descriptor, IPPROTO_TCP, TCP_KEEPINTVL, &every_s, sizeof every_s);
    ::setsockopt(descriptor, IPPROTO_TCP, TCP_KEEPCNT, &times, sizeof times);
}

std::string systemWords() {
    return std::string(std::strerror(errno)) + ".";
}

tl::unexpected<Problem> ended(const Text& why) {
    return transientProblem(Text::say("The link to the device server is gone."), why, addressRemedy);
}

} // namespace

bool WireAddress::loopback() const {
    in_addr four{};
    if (::inet_pton(AF_INET, host.c_str(), &four) == 1)
        return (ntohl(four.s_addr) >> 24) == 127;
    return host == "localhost" || host == "::1";
}

Expected<WireAddress> parseWireAddress(const std::string& text) {
    const auto wrong = [&] {
        return problem(Text::say("\"%1\" is no address of a device server.").arg(text.substr(0, 100)),
                       Text::say("It should read HOST or HOST:PORT."),
                       Text::say("For example localhost:7624."));
    };
    WireAddress address;
    std::string host = text, port;
    if (text.starts_with('[')) {
        const size_t end = text.find(']');
        if (end == std::string::npos)
            return wrong();
        host = text.substr(1, end - 1);
        if (end + 1 < text.size()) {
            if (text[end + 1] != ':')
                return wrong();
            port = text.substr(end + 2);
        }
    } else if (const size_t colon = text.find(':'); colon != std::string::npos && colon == text.rfind(':')) {
        host = text.substr(0, colon);
        port = text.substr(colon + 1);
        if (port.empty())
            return wrong();
    }
    const bool fits =
        !host.empty() && host.size() < 256 && host.find_first_of(" \t\r\n/\\\"<>&") == std::string::npos;
    if (!fits)
        return wrong();
    address.host = host;
    if (!port.empty()) {
        const auto number = wholeNumber(port);
        if (!number || *number < 1.0 || *number > 65535.0 || *number != static_cast<int>(*number))
            return wrong();
        address.port = static_cast<int>(*number);
    }
    return address;
}

WireSocket::WireSocket(int descriptor) : descriptor_(descriptor) {
    prepare(descriptor_);
}

WireSocket::~WireSocket() {
    if (descriptor_ >= 0)
        ::close(descriptor_);
}

WireSocket::WireSocket(WireSocket&& other) noexcept : descriptor_(std::exchange(other.descriptor_, -1)) {}

WireSocket& WireSocket::operator=(WireSocket&& other) noexcept {
    std::swap(descriptor_, other.descriptor_);
    return *this;
}

Expected<WireSocket> WireSocket::connect(const WireAddress& to, double patience_s) {
    const auto failed = [&](const Text& why) {
        return transientProblem(Text::say("No device server answers at %1.").arg(to.text()), why,
                                addressRemedy);
    };
    addrinfo wanted{};
    wanted.ai_family = AF_UNSPEC;
    wanted.ai_socktype = SOCK_STREAM;
    addrinfo* found = nullptr;
    if (const int error = ::getaddrinfo(to.host.c_str(), std::to_string(to.port).c_str(), &wanted, &found))
        return failed(std::string(::gai_strerror(error)) + ".");
    const std::unique_ptr<addrinfo, decltype(&::freeaddrinfo)> all(found, ::freeaddrinfo);
    const Deadline deadline(patience_s);
    Text why = Text::say("It has no address.");
    for (const addrinfo* a = found; a; a = a->ai_next) {
        const int descriptor = ::socket(a->ai_family, a->ai_socktype, a->ai_protocol);
        if (descriptor < 0)
            continue;
        WireSocket socket(descriptor);
        if (::connect(descriptor, a->ai_addr, a->ai_addrlen) == 0)
            return socket;
        if (errno == EINPROGRESS) {
            if (!ready(descriptor, POLLOUT, deadline)) {
                why = Text::say("It does not answer.");
                continue;
            }
            int error = 0;
            socklen_t size = sizeof error;
            ::getsockopt(descriptor, SOL_SOCKET, SO_ERROR, &error, &size);
            if (error == 0)
                return socket;
            errno = error;
        }
        why = systemWords();
    }
    return failed(why);
}

Expected<size_t> WireSocket::receive(char* to, size_t most, double patience_s) {
    if (!ready(descriptor_, POLLIN, Deadline(patience_s)))
        return size_t{0};
    const ssize_t n = ::recv(descriptor_, to, most, 0);
    if (n > 0)
        return static_cast<size_t>(n);
    if (n < 0 && (errno == EAGAIN || errno == EINTR))
        return size_t{0};
    return ended(n == 0 ? "The server has closed it." : systemWords());
}

Expected<void> WireSocket::send(std::string_view bytes, double patience_s) {
    const Deadline deadline(patience_s);
    while (!bytes.empty()) {
        const ssize_t n = ::send(descriptor_, bytes.data(), bytes.size(), MSG_NOSIGNAL);
        if (n >= 0) {
            bytes.remove_prefix(static_cast<size_t>(n));
            continue;
        }
        if (errno == EINTR)
            continue;
        if (errno != EAGAIN)
            return ended(systemWords());
        if (!ready(descriptor_, POLLOUT, deadline))
            return ended(Text::say("The server takes nothing more."));
    }
    return {};
}

void WireSocket::shutDown() {
    if (descriptor_ >= 0)
        ::shutdown(descriptor_, SHUT_RDWR);
}

Expected<WireListener> WireListener::listen(int port, bool everywhere) {
    const int descriptor = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    WireListener listener(descriptor);
    const int on = 1;
    ::setsockopt(descriptor, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port = htons(static_cast<uint16_t>(port));
    address.sin_addr.s_addr = htonl(everywhere ? INADDR_ANY : INADDR_LOOPBACK);
    if (descriptor < 0 ||
        ::bind(descriptor, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0 ||
        ::listen(descriptor, 16) != 0)
        return problem(Text::say("Cannot listen on port %1.").arg(port), systemWords(),
                       Text::say("Choose another port, or end the program that uses it."));
    return listener;
}

WireListener::WireListener(WireListener&& other) noexcept
    : descriptor_(std::exchange(other.descriptor_, -1)) {}

WireListener::~WireListener() {
    if (descriptor_ >= 0)
        ::close(descriptor_);
}

int WireListener::port() const {
    sockaddr_in address{};
    socklen_t size = sizeof address;
    ::getsockname(descriptor_, reinterpret_cast<sockaddr*>(&address), &size);
    return ntohs(address.sin_port);
}

std::optional<WireSocket> WireListener::accept(double patience_s) {
    if (!ready(descriptor_, POLLIN, Deadline(patience_s)))
        return std::nullopt;
    const int descriptor = ::accept(descriptor_, nullptr, nullptr);
    if (descriptor < 0)
        return std::nullopt;
    return WireSocket(descriptor);
}

} // namespace nordstjerna
