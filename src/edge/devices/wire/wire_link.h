// The connection to a device server: a thread that reads it, keeps what every device last told, and comes
// back by itself when the connection is lost. From any thread.
#pragma once

#include <chrono>
#include <condition_variable>
#include <cstdint>
#include <functional>
#include <map>
#include <mutex>
#include <optional>
#include <thread>

#include "edge/devices/clock.h"
#include "edge/devices/wire/wire_message.h"
#include "edge/devices/wire/wire_parser.h"
#include "edge/devices/wire/wire_record.h"
#include "edge/devices/wire/wire_socket.h"

namespace nordstjerna {

class WireLink {
public:
    // What is told when a connection stands, first of all. A frame on its way must hold up no command, so
    // each camera's frames have a link of their own.
    struct Purpose {
        std::string device; // empty: all of them, their commands and states
        std::string blob;   // the vector whose BLOBs are wanted; empty: none
        WireLimits limits;
        double patience = 1.0; // how long devices are waited for, as a share of what is usual
    };
    WireLink(WireAddress server, Purpose purpose);
    ~WireLink();
    WireLink(const WireLink&) = delete;
    WireLink& operator=(const WireLink&) = delete;

    struct Told {
        WireVector vector;
        std::uint64_t serial = 0; // of the message that told it last; each has its own, rising ones
        std::uint64_t busy = 0;   // of the last one that told it busy, though it may be over since
        std::uint64_t alert = 0;  // of the last refusal
        std::chrono::steady_clock::time_point when;

        void hear(std::uint64_t message);
    };
    // What the devices last told, on the present connection.
    struct Known {
        bool connected = false;
        std::uint64_t serial = 0; // of the last message
        std::uint64_t links = 0;  // connections made so far
        bool tried = false;       // the first attempt to connect has ended, one way or the other
        Text why;                 // there is none now
        std::map<std::string, std::map<std::string, Told>> devices;
        std::map<std::string, std::string> remarks; // of each device, the last
        // When each device last told something new of itself: drivers tell one thing after another.
        std::map<std::string, std::chrono::steady_clock::time_point> grew;

        const Told* find(const std::string& device, const std::string& vector) const;
    };

    const WireAddress& server() const { return server_; }
    double patience() const { return purpose_.patience; }
    bool connected() const;
    // Absent while the device has not told it.
    std::optional<Told> told(const std::string& device, const std::string& vector) const;
    std::uint64_t serial() const;
    std::string remark(const std::string& device) const;
    // A look at all, under the lock: be quick.
    void look(const std::function<void(const Known&)>& at) const;
    // A BLOB is handed out once; it is not kept. The second waits for one for so long (by the wall), or until
    // a halt.
    std::optional<Told> takeBlob();
    std::optional<Told> awaitBlob(double patience_s, const StopFlag& halt);

    // At once, in the caller's thread. A transient failure where nothing is connected.
    Expected<void> send(const WireMessage& message);
    Expected<void> send(const std::vector<WireMessage>& messages); // without a pause between them

    // Until `is` holds, looked at with each message; false when the time is over (by the wall, and in the
    // link's own measure of patience), on a halt, or
    // when the connection is lost meanwhile.
    bool await(const std::function<bool(const Known&)>& is, double patience_s, const StopFlag& halt) const;

    // Until the first attempt to connect has ended; false where nothing is connected then, or on a halt.
    bool awaitConnected(const StopFlag& halt) const;

    // From now on all that goes over it is written down; null: no longer.
    void setRecord(std::shared_ptr<WireRecord> record);

    Problem absent() const; // why nothing is connected

private:
    void live();
    void read(WireSocket& socket);
    void take(WireMessage&& message);
    WireAddress server_;
    Purpose purpose_;
    std::shared_ptr<WireRecord> record() const;
    std::string recordedAs() const;
    std::shared_ptr<WireRecord> record_;
    mutable std::mutex lock_;
    mutable std::condition_variable changed_;
    Known known_;
    std::optional<Told> blob_;
    bool ending_ = false;
    std::mutex sending_;                 // held while something is sent
    std::shared_ptr<WireSocket> socket_; // while connected, under lock_
    std::thread reader_;
};

} // namespace nordstjerna
