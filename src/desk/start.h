// Puts an evening together: from the command line's wishes, or of a given simulated night.
#pragma once

#include <functional>
#include <memory>

#include "desk/session.h"
#include "edge/store/device_choice.h"

namespace nordstjerna {

class SimulatedNight;
struct Scenario;

struct StartWishes {
    std::filesystem::path scenario; // empty: the demo night
    std::optional<double> speed;
    bool simulated = false;            // whatever devices were chosen
    std::optional<WireAddress> server; // the same, with the devices of a server
    std::filesystem::path dataFolder;  // empty: $XDG_DATA_HOME/nordstjerna
    bool anotherNight = false;         // just chosen: rig and target are those of the night
    bool greets = false;               // somebody new is asked for a telescope
};

struct BegunEvening {
    std::unique_ptr<Session> session;
    std::shared_ptr<SimulatedNight> simulated; // what only stand-ins can do; absent where devices are real
    DeviceChoice devices;                      // where they are another's
    std::function<double()> pace;              // of their time, × the real one; 0: as fast as it computes
    // Writes down what goes over the wire from now on, and says where; false: no longer. Absent where no
    // device server is.
    std::function<Expected<std::filesystem::path>(bool on)> recordWire;
    bool firstTime = false; // nothing of this person is there yet
};

Expected<BegunEvening> beginEvening(const StartWishes& wishes);
BegunEvening beginSimulated(const Scenario& scenario, std::shared_ptr<StarIndex> index,
                            const std::filesystem::path& dataFolder);

// The name of the demo night with the person's own rig.
inline constexpr const char* ownNight = "own";

// The simulated nights that ship: the demo night, whose name is empty, first, and that with one's own rig
// last.
struct ShippedNight {
    std::string name;  // of its file, as a choice of devices keeps it
    std::string title; // in words
};
std::vector<ShippedNight> shippedNights();

// Folder with the demo night: installed, or in the source tree.
std::filesystem::path demoFolder();

} // namespace nordstjerna
