// A TCP connection, and the place where connections come in. No call blocks longer than it is told to.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/problem.h"

namespace nordstjerna {

struct WireAddress {
    static constexpr int usualPort = 7624; // registered for the INDI protocol
    std::string host = "localhost";
    int port = usualPort;

    bool operator==(const WireAddress&) const = default;
    std::string text() const { return host + ":" + std::to_string(port); }
    // Whether it can only be this computer.
    bool loopback() const;
};
// HOST or HOST:PORT; an IPv6 address stands in brackets where a port follows.
Expected<WireAddress> parseWireAddress(const std::string& text);

class WireSocket {
public:
    WireSocket() = default;
    explicit WireSocket(int descriptor);
    ~WireSocket();
    WireSocket(WireSocket&& other) noexcept;
    WireSocket& operator=(WireSocket&& other) noexcept;

    static Expected<WireSocket> connect(const WireAddress& to, double patience_s);

    // How many bytes came within that time; none is no failure, the end of the connection is.
    Expected<size_t> receive(char* to, size_t most, double patience_s);
    // All of it, or a failure.
    Expected<void> send(std::string_view bytes, double patience_s);
    // From another thread: what waits here comes back with a failure.
    void shutDown();

private:
    int descriptor_ = -1;
};

class WireListener {
public:
    // Port 0: a free one. Listens on this computer only, unless `everywhere`.
    static Expected<WireListener> listen(int port, bool everywhere);
    WireListener(WireListener&& other) noexcept;
    WireListener& operator=(WireListener&&) = delete;
    ~WireListener();
    int port() const;
    std::optional<WireSocket> accept(double patience_s);

private:
    explicit WireListener(int descriptor) : descriptor_(descriptor) {}
    int descriptor_;
};

} // namespace nordstjerna
