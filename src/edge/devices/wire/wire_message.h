// What a program and a device server say to each other by the INDI protocol, version 1.7 (XML over TCP): the
// state of a device is a set of vectors, each of named elements of one kind.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace nordstjerna {

enum class WireKind { text, number, switches, lights, blob };
enum class WireState { idle, ok, busy, alert };

struct WireElement {
    std::string name;
    std::string label;
    std::string text;    // of a text
    double number = 0.0; // of a number, as are its limits and step; 0 where none is given
    double lowest = 0.0, highest = 0.0, step = 0.0;
    bool on = false;                          // of a switch
    WireState light = WireState::idle;        // of a light
    std::shared_ptr<const std::string> bytes; // of a BLOB; absent in its definition
    std::string format;                       // ".fits"
};

struct WireVector {
    std::string device;
    std::string name;
    WireKind kind = WireKind::text;
    WireState state = WireState::idle;
    std::string label;
    std::string group;
    bool readable = true;
    bool writable = true;
    bool exclusive = false; // switches of which one is on
    std::string timestamp;  // as the server gives it, UTC
    std::vector<WireElement> elements;

    const WireElement* find(const std::string& element) const;
    // Of an element that may be missing: 0, off or empty then.
    double number(const std::string& element) const;
    bool on(const std::string& element) const;
    std::string text(const std::string& element) const;
};

struct WireMessage {
    enum class Verb {
        ask,       // getProperties: of all devices, of one, of one of its vectors
        define,    // def…Vector
        tell,      // set…Vector: new values from the device
        command,   // new…Vector: values that the device is asked to take
        withdraw,  // delProperty: a vector, or with an empty name the whole device
        remark,    // message
        sendBlobs, // enableBLOB
    };
    enum class Blobs { never, also, only };

    Verb verb = Verb::ask;
    WireVector vector;          // of ask, withdraw and sendBlobs only device and name count
    std::string words;          // what the device says with it, for a person
    Blobs blobs = Blobs::never; // of sendBlobs
};

// Commands, as most of them are.
WireMessage wireCommand(const std::string& device, const std::string& name,
                        std::vector<std::pair<std::string, double>> numbers);
WireMessage wireSwitch(const std::string& device, const std::string& name, const std::string& on);
WireMessage wireAsk(const std::string& device = {}, const std::string& name = {});

// As bytes for the wire.
std::string wireText(const WireMessage& message);

} // namespace nordstjerna
