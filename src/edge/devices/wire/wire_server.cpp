#include "edge/devices/wire/wire_server.h"

#include <algorithm>
#include <chrono>

#include "core/sky/instant.h"
#include "edge/devices/wire/wire_parser.h"

namespace nordstjerna {

namespace {
constexpr double serverGlance_s = 0.2;
constexpr double clientTakes_s = 20.0;
constexpr size_t mostWaiting_bytes = 400'000'000; // a client that takes nothing is let go

std::string wireStamp() {
    const auto now = std::chrono::system_clock::now().time_since_epoch();
    return formatInstant(Instant{std::chrono::duration<double>(now).count()}, 0);
}
} // namespace

struct WireServer::Client {
    explicit Client(WireSocket s) : socket(std::move(s)) {}
    WireSocket socket;
    std::mutex lock; // of what follows
    std::condition_variable wake;
    std::deque<std::shared_ptr<const std::string>> waiting;
    size_t waiting_bytes = 0;
    bool over = false;
    std::string device, vector; // that it asked about; empty: all
    bool asked = false;
    std::map<std::string, WireMessage::Blobs> blobs; // by device
    std::thread reading, writing;

    bool wants(const std::string& ofDevice, const std::string& ofVector) const {
        return asked && (device.empty() || device == ofDevice) && (vector.empty() || vector == ofVector);
    }
};

WireServer::WireServer(WireListener listener, Command command)
    : listener_(std::move(listener)), command_(std::move(command)) {
    accepting_ = std::thread([this] { acceptAll(); });
}

WireServer::~WireServer() {
    ending_ = true;
    accepting_.join();
    dropClients();
    for (const auto& client : clients_) {
        client->reading.join();
        client->writing.join();
    }
}

void WireServer::acceptAll() {
    while (!ending_) {
        auto socket = listener_.accept(serverGlance_s);
        std::list<std::shared_ptr<Client>> gone;
        std::unique_lock guard(lock_);
        for (auto at = clients_.begin(); at != clients_.end();) {
            const auto next = std::next(at);
            const std::scoped_lock own((*at)->lock);
            if ((*at)->over)
                gone.splice(gone.end(), clients_, at);
            at = next;
        }
        guard.unlock(); // they may be waiting for it
        for (const auto& client : gone) {
            client->reading.join();
            client->writing.join();
        }
        guard.lock();
        constexpr size_t mostClients = 64;
        if (!socket || clients_.size() >= mostClients)
            continue;
        auto client = std::make_shared<Client>(std::move(*socket));
        client->reading = std::thread([this, c = client.get()] { listenTo(*c); });
        client->writing = std::thread([this, c = client.get()] { writeTo(*c); });
        clients_.push_back(std::move(client));
    }
}

void WireServer::dropClients() {
    const std::scoped_lock guard(lock_);
    for (const auto& client : clients_) {
        const std::scoped_lock own(client->lock);
        client->over = true;
        client->socket.shutDown();
        client->wake.notify_all();
    }
}

size_t WireServer::clients() const {
    const std::scoped_lock guard(lock_);
    return static_cast<size_t>(std::count_if(clients_.begin(), clients_.end(), [](const auto& client) {
        const std::scoped_lock own(client->lock);
        return !client->over;
    }));
}

void WireServer::listenTo(Client& client) {
    WireLimits limits;
    limits.blob_bytes = 1'000'000; // nobody sends frames here
    WireParser parser([&](WireMessage&& m) { answer(client, m); }, limits);
    std::vector<char> buffer(65536);
    for (;;) {
        const auto came = client.socket.receive(buffer.data(), buffer.size(), serverGlance_s);
        if (!came || (*came > 0 && !parser.read(buffer.data(), *came)))
            break;
        const std::scoped_lock own(client.lock);
        if (client.over)
            break;
    }
    const std::scoped_lock own(client.lock);
    client.over = true;
    client.socket.shutDown();
    client.wake.notify_all();
}

void WireServer::writeTo(Client& client) {
    std::unique_lock own(client.lock);
    for (;;) {
        client.wake.wait(own, [&] { return client.over || !client.waiting.empty(); });
        if (client.over)
            return;
        const auto next = std::move(client.waiting.front());
        client.waiting.pop_front();
        client.waiting_bytes -= next->size();
        own.unlock();
        const auto sent = client.socket.send(*next, clientTakes_s);
        own.lock();
        if (!sent) {
            client.over = true;
            client.socket.shutDown();
        }
    }
}

void WireServer::queue(Client& client, std::shared_ptr<const std::string> bytes) {
    const std::scoped_lock own(client.lock);
    if (client.over)
        return;
    if (client.waiting_bytes + bytes->size() > mostWaiting_bytes) {
        client.over = true;
        client.socket.shutDown();
    } else {
        client.waiting_bytes += bytes->size();
        client.waiting.push_back(std::move(bytes));
    }
    client.wake.notify_all();
}

void WireServer::answer(Client& client, const WireMessage& m) {
    using Verb = WireMessage::Verb;
    if (m.verb == Verb::ask) {
        const std::scoped_lock guard(lock_); // what is told meanwhile comes after
        {
            const std::scoped_lock own(client.lock);
            // Who has asked for all goes on hearing of all.
            if (!client.asked || !client.device.empty()) {
                client.device = m.vector.device;
                client.vector = m.vector.name;
            }
            client.asked = true;
        }
        for (const auto& [device, vectors] : vectors_)
            for (const auto& [name, vector] : vectors)
                if ((m.vector.device.empty() || m.vector.device == device) &&
                    (m.vector.name.empty() || m.vector.name == name))
                    queue(client,
                          std::make_shared<const std::string>(wireText({Verb::define, vector, {}, {}})));
        return;
    }
    if (m.verb == Verb::sendBlobs) {
        const std::scoped_lock own(client.lock);
        client.blobs[m.vector.device] = m.blobs;
        return;
    }
    if (m.verb == Verb::command)
        command_(m);
}

void WireServer::toAll(const WireMessage& message) {
    toAll(message.vector, false, std::make_shared<const std::string>(wireText(message)));
}

void WireServer::toAll(const WireVector& v, bool blob, const std::shared_ptr<const std::string>& bytes) {
    for (const auto& client : clients_) {
        bool wants = false;
        {
            const std::scoped_lock own(client->lock);
            const auto how =
                client->blobs.contains(v.device) ? client->blobs.at(v.device) : WireMessage::Blobs::never;
            wants = client->wants(v.device, v.name) &&
                    (blob ? how != WireMessage::Blobs::never : how != WireMessage::Blobs::only);
        }
        if (wants)
            queue(*client, bytes);
    }
}

void WireServer::publish(const WireVector& vector, const std::string& words) {
    const std::scoped_lock guard(lock_);
    auto& device = vectors_[vector.device];
    const bool old = device.contains(vector.name);
    WireVector& kept = device[vector.name] = vector;
    kept.timestamp = wireStamp();
    toAll({old ? WireMessage::Verb::tell : WireMessage::Verb::define, kept, words, {}});
}

void WireServer::update(const std::string& device, const std::string& name, WireState state,
                        const std::vector<std::pair<std::string, double>>& numbers,
                        const std::string& words) {
    const std::scoped_lock guard(lock_);
    const auto d = vectors_.find(device);
    if (d == vectors_.end() || !d->second.contains(name))
        return;
    WireVector& v = d->second[name];
    v.state = state;
    v.timestamp = wireStamp();
    for (const auto& [element, number] : numbers)
        for (WireElement& e : v.elements)
            if (e.name == element)
                e.number = number;
    toAll({WireMessage::Verb::tell, v, words, {}});
}

void WireServer::select(const std::string& device, const std::string& name, const std::string& on,
                        WireState state, const std::string& words) {
    const std::scoped_lock guard(lock_);
    const auto d = vectors_.find(device);
    if (d == vectors_.end() || !d->second.contains(name))
        return;
    WireVector& v = d->second[name];
    v.state = state;
    v.timestamp = wireStamp();
    for (WireElement& e : v.elements)
        e.on = e.name == on;
    toAll({WireMessage::Verb::tell, v, words, {}});
}

void WireServer::sendBlob(const WireVector& vector) {
    // Put into words first: commands and states must not wait for it.
    const auto bytes =
        std::make_shared<const std::string>(wireText({WireMessage::Verb::tell, vector, {}, {}}));
    const std::scoped_lock guard(lock_);
    toAll(vector, true, bytes);
}

void WireServer::withdraw(const std::string& device, const std::string& name) {
    const std::scoped_lock guard(lock_);
    if (const auto d = vectors_.find(device); d != vectors_.end()) {
        d->second.erase(name);
        if (name.empty())
            vectors_.erase(d);
    }
    WireVector v;
    v.device = device;
    v.name = name;
    toAll({WireMessage::Verb::withdraw, v, {}, {}});
}

} // namespace nordstjerna
