// The kinds of device behind a server, each named once: by what it is known there, which places of an evening
// it may take, and what stands for it at either end of the wire.
#pragma once

#include <memory>
#include <span>
#include <string>

namespace nordstjerna {

struct Devices;
class ServedDevice;
class WireLink;

// What a device can be used for.
enum class WireRole { mount, camera, guidePort, focuser, wheel, rotator };

// Which device of a server does what: its name there; empty: none.
struct WireRoles {
    std::string mount;
    std::string guideCamera;
    std::string imagingCamera;
    std::string guideFocuser;
    std::string imagingFocuser;
    std::string wheel;     // before the imaging camera
    std::string rotator;   // of the imaging camera
    std::string guidePort; // a camera that carries the guide pulses in place of the mount

    bool operator==(const WireRoles&) const = default;
    bool none() const { return *this == WireRoles{}; }
};

struct WireSign {
    WireRole role;
    const char* key;    // a stable word, for files and commands
    unsigned bit;       // of DRIVER_INTERFACE
    const char* vector; // by which it is known where its driver tells no bits
};
std::span<const WireSign> wireSigns();
const char* wireRoleKey(WireRole role);

struct WirePlace {
    std::string WireRoles::*role;
    const char* key;  // a stable word, for files
    const char* name; // as a person reads it (Text::mark), and
    const char* none; // where nothing takes it
    WireRole use;     // what it takes
    bool first;       // the first such device takes it, where nobody has chosen
};
std::span<const WirePlace> wirePlaces(); // in the order in which a person is asked for them

// A device that goes to places, as this end of the wire has it.
class WirePart {
public:
    virtual ~WirePart() = default;
    virtual void greet() const = 0;
    virtual void join(Devices& devices) = 0;
};

struct WirePartKind {
    std::string WireRoles::*role;
    std::unique_ptr<WirePart> (*wired)(WireLink& link, const std::string& device);
    const char* servedName; // of ours, at a server
    // Null where these devices have none.
    std::unique_ptr<ServedDevice> (*served)(const char* name, const Devices& devices);
};
std::span<const WirePartKind> wirePartKinds();

} // namespace nordstjerna
