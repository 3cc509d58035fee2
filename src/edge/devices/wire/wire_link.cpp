#include "edge/devices/wire/wire_link.h"

#include <algorithm>
#include <array>
#include <vector>

namespace nordstjerna {

namespace {
using namespace std::chrono_literals;
constexpr double connecting_s = 5.0;
constexpr double linkSending_s = 5.0;
constexpr double readerGlance_s = 0.2; // how often the reader looks whether it is to end
constexpr auto haltGlance = 20ms;
// Pauses between attempts to connect, growing.
// A server that begins again is missed for no longer than the last one.
constexpr std::array reconnectPauses{500ms, 1000ms, 2000ms, 3000ms};
} // namespace

const WireLink::Told* WireLink::Known::find(const std::string& device, const std::string& vector) const {
    const auto d = devices.find(device);
    if (d == devices.end())
        return nullptr;
    const auto v = d->second.find(vector);
    return v == d->second.end() ? nullptr : &v->second;
}

void WireLink::Told::hear(std::uint64_t message) {
    serial = message;
    if (vector.state == WireState::busy)
        busy = message;
    if (vector.state == WireState::alert)
        alert = message;
}

WireLink::WireLink(WireAddress server, Purpose purpose)
    : server_(std::move(server)), purpose_(std::move(purpose)) {
    known_.why = Text::say("It has not answered yet.");
    reader_ = std::thread([this] { live(); });
}

WireLink::~WireLink() {
    {
        const std::scoped_lock guard(lock_);
        ending_ = true;
        if (socket_)
            socket_->shutDown();
    }
    changed_.notify_all();
    reader_.join();
}

bool WireLink::connected() const {
    const std::scoped_lock guard(lock_);
    return known_.connected;
}

std::optional<WireLink::Told> WireLink::told(const std::string& device, const std::string& vector) const {
    const std::scoped_lock guard(lock_);
    const Told* told = known_.find(device, vector);
    return told ? std::optional(*told) : std::nullopt;
}

std::uint64_t WireLink::serial() const {
    const std::scoped_lock guard(lock_);
    return known_.serial;
}

std::string WireLink::remark(const std::string& device) const {
    const std::scoped_lock guard(lock_);
    const auto at = known_.remarks.find(device);
    return at == known_.remarks.end() ? std::string() : at->second;
}

void WireLink::look(const std::function<void(const Known&)>& at) const {
    const std::scoped_lock guard(lock_);
    at(known_);
}

std::optional<WireLink::Told> WireLink::takeBlob() {
    const std::scoped_lock guard(lock_);
    return std::exchange(blob_, std::nullopt);
}

std::optional<WireLink::Told> WireLink::awaitBlob(double patience_s, const StopFlag& halt) {
    (void)await([this](const Known&) { return blob_.has_value(); }, patience_s, halt);
    return takeBlob();
}

void WireLink::setRecord(std::shared_ptr<WireRecord> record) {
    const std::scoped_lock guard(lock_);
    record_ = std::move(record);
}

std::shared_ptr<WireRecord> WireLink::record() const {
    const std::scoped_lock guard(lock_);
    return record_;
}

std::string WireLink::recordedAs() const {
    return purpose_.device.empty() ? "commands" : purpose_.device;
}

Problem WireLink::absent() const {
    const std::scoped_lock guard(lock_);
    return {Text::say("The device server at %1 does not answer.").arg(server_.text()), known_.why,
            Text::say("Check that it runs and that the network reaches it."), true};
}

Expected<void> WireLink::send(const WireMessage& message) {
    return send(std::vector{message});
}

Expected<void> WireLink::send(const std::vector<WireMessage>& messages) {
    std::string bytes;
    for (const WireMessage& m : messages)
        bytes += wireText(m);
    std::shared_ptr<WireSocket> socket;
    {
        const std::scoped_lock guard(lock_);
        socket = socket_;
    }
    if (!socket)
        return tl::unexpected(absent());
    const std::scoped_lock order(sending_);
    auto sent = socket->send(bytes, linkSending_s);
    if (const auto kept = record())
        kept->note(recordedAs(), true, bytes);
    if (!sent)
        socket->shutDown(); // half a command may stand on the wire: nothing more can follow it
    return sent;
}

bool WireLink::await(const std::function<bool(const Known&)>& is, double patience_s,
                     const StopFlag& halt) const {
    const auto end =
        std::chrono::steady_clock::now() + std::chrono::duration<double>(patience_s * purpose_.patience);
    std::unique_lock wait(lock_);
    const std::uint64_t link = known_.links;
    for (;;) {
        if (is(known_))
            return true;
        const auto now = std::chrono::steady_clock::now();
        if (halt || now >= end || ending_ || (known_.links != link || !known_.connected))
            return false;
        changed_.wait_for(wait, std::min<std::chrono::duration<double>>(end - now, haltGlance));
    }
}

bool WireLink::awaitConnected(const StopFlag& halt) const {
    std::unique_lock wait(lock_);
    while (!known_.connected && !known_.tried && !halt && !ending_)
        changed_.wait_for(wait, haltGlance);
    return known_.connected;
}

void WireLink::live() {
    size_t failures = 0;
    for (;;) {
        auto socket = WireSocket::connect(server_, connecting_s);
        std::shared_ptr<WireSocket> own;
        {
            const std::scoped_lock guard(lock_);
            if (ending_)
                return;
            known_.tried = true;
            if (socket) {
                own = socket_ = std::make_shared<WireSocket>(std::move(*socket));
                known_.connected = true;
                known_.why = {};
                ++known_.links;
            } else {
                known_.why = socket.error().why;
            }
        }
        changed_.notify_all();
        if (own) {
            failures = 0;
            read(*own);
        }
        std::unique_lock wait(lock_);
        const auto pause = reconnectPauses[std::min(failures++, reconnectPauses.size() - 1)];
        if (changed_.wait_for(wait, pause, [this] { return ending_; }))
            return;
    }
}

void WireLink::read(WireSocket& socket) {
    std::vector<WireMessage> first{wireAsk(purpose_.device, purpose_.blob)};
    if (!purpose_.blob.empty()) {
        WireMessage blobs;
        blobs.verb = WireMessage::Verb::sendBlobs;
        blobs.vector.device = purpose_.device;
        blobs.blobs = WireMessage::Blobs::also;
        // Before the question, so that its answer tells that they are sent; and after it, for servers that
        // send only what was asked about before.
        first.insert(first.begin(), blobs);
        first.push_back(blobs);
    }
    Expected<void> fine = send(first);
    WireParser parser([this](WireMessage&& m) { take(std::move(m)); }, purpose_.limits);
    std::vector<char> buffer(1 << 18);
    while (fine) {
        const auto came = socket.receive(buffer.data(), buffer.size(), readerGlance_s);
        if (!came)
            fine = tl::unexpected(came.error());
        else if (*came > 0) {
            if (const auto kept = record())
                kept->note(recordedAs(), false, {buffer.data(), *came});
            fine = parser.read(buffer.data(), *came);
        }
        const std::scoped_lock guard(lock_);
        if (ending_)
            break;
    }
    {
        const std::scoped_lock guard(lock_);
        socket_.reset();
        // What was told before the connection was lost may be of yesterday when it comes back.
        known_.connected = false;
        known_.devices.clear();
        known_.remarks.clear();
        known_.grew.clear();
        blob_.reset();
        known_.why = fine ? Text::say("The program ends.") : fine.error().why;
    }
    changed_.notify_all();
}

void WireLink::take(WireMessage&& m) {
    // A server that offers more than this is none.
    constexpr size_t mostDevices = 200, mostVectors = 2000;
    const auto now = std::chrono::steady_clock::now();
    {
        const std::scoped_lock guard(lock_);
        using Verb = WireMessage::Verb;
        WireVector& v = m.vector;
        if (!m.words.empty() && known_.remarks.size() < mostDevices)
            known_.remarks[v.device] = m.words.substr(0, 300);
        if (m.verb == Verb::withdraw) {
            ++known_.serial;
            if (v.name.empty())
                known_.devices.erase(v.device);
            else if (const auto d = known_.devices.find(v.device); d != known_.devices.end())
                d->second.erase(v.name);
        } else if (m.verb == Verb::tell && v.kind == WireKind::blob) {
            ++known_.serial;
            if (std::any_of(v.elements.begin(), v.elements.end(),
                            [](const WireElement& e) { return e.bytes && !e.bytes->empty(); }))
                blob_ = Told{std::move(v), known_.serial, 0, 0, now};
        } else if (m.verb == Verb::define || m.verb == Verb::tell) {
            ++known_.serial;
            const auto d = known_.devices.find(v.device);
            const bool old = d != known_.devices.end() && d->second.contains(v.name);
            if (m.verb == Verb::tell && old && d->second[v.name].vector.kind == v.kind) {
                // What a device does not name it leaves as it was.
                Told& told = d->second[v.name];
                for (WireElement& e : v.elements)
                    for (WireElement& kept : told.vector.elements)
                        if (kept.name == e.name) {
                            kept.text = std::move(e.text);
                            kept.number = e.number;
                            kept.on = e.on;
                            kept.light = e.light;
                        }
                told.vector.state = v.state;
                told.vector.timestamp = v.timestamp;
                told.hear(known_.serial);
                told.when = now;
            } else if (m.verb == Verb::define && !v.device.empty() &&
                       (d != known_.devices.end() || known_.devices.size() < mostDevices) &&
                       (d == known_.devices.end() || old || d->second.size() < mostVectors)) {
                if (!old)
                    known_.grew[v.device] = now;
                Told& told = known_.devices[v.device][v.name];
                told.vector = std::move(v);
                told.hear(known_.serial);
                told.when = now;
            }
        }
    }
    changed_.notify_all();
}

} // namespace nordstjerna
