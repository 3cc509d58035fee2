// A device server: clients come in by TCP, are told what they ask for, and their commands are handed on. Each
// client has a thread that reads and one that writes, so that a slow one holds up nobody.
#pragma once

#include <atomic>
#include <condition_variable>
#include <deque>
#include <functional>
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <thread>

#include "edge/devices/wire/wire_message.h"
#include "edge/devices/wire/wire_socket.h"

namespace nordstjerna {

class WireServer {
public:
    // command: called with each, in the thread of the client that gave it; must not block for long.
    using Command = std::function<void(const WireMessage&)>;
    WireServer(WireListener listener, Command command);
    ~WireServer();
    WireServer(const WireServer&) = delete;
    WireServer& operator=(const WireServer&) = delete;
    int port() const { return listener_.port(); }

    // A vector as it is now. Clients hear of it as of a new one the first time, later as of new values.
    void publish(const WireVector& vector, const std::string& words = {});
    // Values of a vector that was published; the others stay.
    void update(const std::string& device, const std::string& name, WireState state,
                const std::vector<std::pair<std::string, double>>& numbers = {},
                const std::string& words = {});
    // On is one switch of the vector, off all others; none where `on` is empty.
    void select(const std::string& device, const std::string& name, const std::string& on, WireState state,
                const std::string& words = {});
    // To those who want the BLOBs of the device; it is not kept.
    void sendBlob(const WireVector& vector);
    void withdraw(const std::string& device, const std::string& name);
    // Breaks off all connections; clients may come back.
    void dropClients();
    size_t clients() const;

private:
    struct Client;
    void acceptAll();
    void listenTo(Client& client);
    void writeTo(Client& client);
    void answer(Client& client, const WireMessage& asked);
    void toAll(const WireMessage& message);
    void toAll(const WireVector& about, bool blob, const std::shared_ptr<const std::string>& bytes);
    static void queue(Client& client, std::shared_ptr<const std::string> bytes);

    WireListener listener_;
    Command command_;
    mutable std::mutex lock_;
    std::map<std::string, std::map<std::string, WireVector>> vectors_;
    std::list<std::shared_ptr<Client>> clients_;
    std::atomic<bool> ending_{false};
    std::thread accepting_;
};

} // namespace nordstjerna
