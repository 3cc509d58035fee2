// nordstjerna-observatory: the simulated night behind a device server, for trying the wire without hardware.
// Hands at the mount and faults come as lines on standard input.
#include <csignal>
#include <cstdio>
#include <iostream>
#include <pthread.h>
#include <sstream>

#include "core/base/number_text.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/devices/wire/served_night.h"
#include "tool/arguments.h"

using namespace nordstjerna;

namespace {

constexpr const char* handsHelp =
    "Lines on standard input, while it runs:\n"
    "  azimuth TURNS           turn the azimuth lever, positive to the east\n"
    "  altitude TURNS          turn the altitude lever, positive upwards\n"
    "  focus MICROMETRES       turn the guide scope's focuser by hand\n"
    "  turn DEGREES            the RA axis by hand, past its motor, west positive\n"
    "  cover on|off            the guide scope's cover\n"
    "  mask guide|imaging on|off\n"
    "  happen KIND AMOUNT SECONDS   a fault, as in a scenario: cloud 0.9 120\n"
    "  cut                     break off all connections\n"
    "  quit\n";

struct Wishes {
    std::filesystem::path scenario;
    double speed = 1.0;
    int port = WireAddress::usualPort;
    bool everywhere = false;
};

Arguments argumentsOf(Wishes& wishes) {
    Arguments a({}, "Serves the simulated night by the INDI protocol.", "nordstjerna-observatory");
    a.option("scenario", "another night than the demo's", into(wishes.scenario));
    a.option("speed", "simulated seconds in one of the wall (1)", into(wishes.speed, 0.01, 600.0));
    a.option("port", "to listen on (7624); 0: any free one", into(wishes.port, 0, 65535));
    a.flag("everywhere", "let other computers in, too; the wire is not encrypted", wishes.everywhere);
    return a;
}

// False: the line is not understood.
bool obey(const std::string& line, SimulatedNight& night, ServedNight& served) {
    std::istringstream words(line);
    std::string what, first, second;
    double amount = 0.0, length_s = 0.0;
    words >> what;
    if (what.empty())
        return true;
    if (what == "azimuth" && words >> amount) {
        night.turnAzimuthLever(amount);
    } else if (what == "altitude" && words >> amount) {
        night.turnAltitudeLever(amount);
    } else if (what == "turn" && words >> amount) {
        night.turnRaByHand(amount);
    } else if (what == "focus" && words >> amount) {
        night.turnFocus(amount);
    } else if (what == "cover" && words >> first && (first == "on" || first == "off")) {
        night.setCovered(first == "on");
    } else if (what == "mask" && words >> first >> second && (first == "guide" || first == "imaging") &&
               (second == "on" || second == "off")) {
        night.setMask(first == "guide" ? CameraRole::guide : CameraRole::imaging, second == "on");
    } else if (what == "happen" && words >> first >> amount >> length_s) {
        const auto kind = faultKindFrom(first);
        if (!kind)
            return false;
        night.happen(*kind, amount, length_s);
    } else if (what == "cut") {
        served.server().dropClients();
    } else {
        return false;
    }
    return true;
}

Expected<void> serve(const Wishes& wishes) {
    auto scenario = readScenario(
        wishes.scenario.empty() ? std::filesystem::path(NORDSTJERNA_SOURCE_DIR "/resources/demo/night.json")
                                : wishes.scenario);
    if (!scenario)
        return tl::unexpected(scenario.error());
    scenario->speed = wishes.speed;
    auto index = StarIndex::loadDefault();
    if (!index)
        return tl::unexpected(index.error());
    if (auto sky = SimulatedNight::skyIsThere(*scenario, **index); !sky)
        return sky;
    auto listener = WireListener::listen(wishes.port, wishes.everywhere);
    if (!listener)
        return tl::unexpected(listener.error());
    SimulatedNight night(*scenario, *index);
    ServedNight served(
        night.devices(), scenario->rig, [&night] { return night.clock().speed(); }, std::move(*listener));
    std::printf("The night is served on port %d%s.\n", served.port(),
                wishes.everywhere ? ", to the whole network" : ", to this computer");
    std::fflush(stdout);
    // Ended by a signal, which one thread waits for while this one reads; the hands may come from a pipe that
    // ends long before the night does.
    std::thread hands([&] {
        for (std::string line; std::getline(std::cin, line);) {
            if (line == "quit") {
                ::kill(::getpid(), SIGTERM);
                return;
            }
            if (!obey(line, night, served))
                std::cerr << "\"" << line << "\" is not understood.\n" << handsHelp;
        }
    });
    hands.detach();
    sigset_t ends;
    sigemptyset(&ends);
    sigaddset(&ends, SIGTERM);
    sigaddset(&ends, SIGINT);
    int which = 0;
    sigwait(&ends, &which);
    return {};
}

} // namespace

int main(int argc, char** argv) {
    pinDecimalPoint();
    // Before any thread is begun, so that all of them leave these to sigwait().
    sigset_t ends;
    sigemptyset(&ends);
    sigaddset(&ends, SIGTERM);
    sigaddset(&ends, SIGINT);
    pthread_sigmask(SIG_BLOCK, &ends, nullptr);
    Wishes wishes;
    const Arguments arguments = argumentsOf(wishes);
    try {
        if (!arguments.read({argv + 1, argv + argc})) {
            std::cout << arguments.help() << '\n' << handsHelp;
            return 0;
        }
    } catch (const WrongUsage& e) {
        std::cerr << e.what() << "\nMore with: nordstjerna-observatory --help\n";
        return 2;
    }
    const auto served = serve(wishes);
    if (!served) {
        std::cerr << served.error().text() << '\n';
        return 1;
    }
    std::cout.flush();
    std::_Exit(0); // the thread that reads standard input may be waiting there for ever
}
