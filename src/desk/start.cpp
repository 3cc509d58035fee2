#include "desk/start.h"

#include <QCoreApplication>
#include <QStandardPaths>
#include <algorithm>

#include "edge/devices/sim/simulated_night.h"
#include "edge/devices/wire/wire_night.h"
#include "edge/store/evening_file.h"
#include "edge/store/file_names.h"
#include "edge/store/night_book.h"

namespace nordstjerna {

std::filesystem::path demoFolder() {
    const std::filesystem::path installed =
        (QCoreApplication::applicationDirPath() + "/../share/nordstjerna/demo").toStdString();
    std::error_code error;
    if (std::filesystem::exists(installed / "night.json", error))
        return installed;
    return std::filesystem::path(NORDSTJERNA_SOURCE_DIR) / "resources" / "demo";
}

namespace {
std::filesystem::path nightFile(const std::string& name) {
    return name.empty() || name == ownNight ? demoFolder() / "night.json"
                                            : demoFolder() / "nights" / (name + "-night.json");
}
} // namespace

std::vector<ShippedNight> shippedNights() {
    std::vector<ShippedNight> nights{{"", ""}};
    constexpr std::string_view ending = "-night.json";
    for (const auto& path : filesIn(demoFolder() / "nights", std::string(ending))) {
        const std::string file = path.filename().string();
        nights.push_back({file.substr(0, file.size() - ending.size()), ""});
    }
    for (ShippedNight& n : nights)
        if (const auto scenario = readScenario(nightFile(n.name)))
            n.title = scenario->name;
    std::erase_if(nights, [](const ShippedNight& n) { return n.title.empty(); });
    nights.push_back({ownNight, QObject::tr("My own rig, simulated").toStdString()});
    return nights;
}

namespace {
// The demo's own nights of before, for a person who has none yet; nothing of theirs is touched.
Expected<void> bringPastNights(const std::filesystem::path& data) {
    namespace fs = std::filesystem;
    std::error_code error;
    if (fs::exists(nightLogPath(data), error) || fs::exists(data / "records", error))
        return {};
    fs::create_directories(data, error);
    for (const char* folder : {"runs", "records"})
        fs::copy(demoFolder() / "past" / folder, data / folder,
                 fs::copy_options::recursive | fs::copy_options::skip_existing, error);
    if (error)
        return problem(Text::say("The demo's earlier nights could not be copied."), error.message() + ".",
                       Text::say("The demo goes on without them."));
    const auto made = rebuildNightLog(data, [](Instant t) { return t; });
    return made ? Expected<void>() : tl::unexpected(made.error());
}
} // namespace

BegunEvening beginSimulated(const Scenario& scenario, std::shared_ptr<StarIndex> index,
                            const std::filesystem::path& dataFolder) {
    BegunEvening begun;
    begun.simulated = std::make_shared<SimulatedNight>(scenario, index);
    begun.pace = [&clock = begun.simulated->clock()] { return clock.speed(); };
    auto observatory = std::make_unique<Observatory>(begun.simulated->devices(),
                                                     Observatory::usual_patience_s, begun.simulated);
    const Scenario& night = begun.simulated->scenario();
    begun.session = std::make_unique<Session>(
        std::move(observatory), FirstEvening{night.rig, night.targetName, vectorFrom(night.target)},
        std::move(index), dataFolder);
    return begun;
}

namespace {
// With the devices of a server. The scenario lends rig and target to who has none yet.
BegunEvening beginLinked(const DeviceChoice& choice, const Scenario& scenario,
                         std::shared_ptr<StarIndex> index, const std::filesystem::path& dataFolder) {
    BegunEvening begun;
    begun.devices = choice;
    auto night = std::make_shared<WireNight>(choice.address, choice.roles, scenario.rig, index);
    begun.pace = [night] { return night->clock().speed(); };
    begun.recordWire = [night, folder = dataFolder / "wire"](bool on) -> Expected<std::filesystem::path> {
        if (!on) {
            night->setRecord(nullptr);
            return std::filesystem::path();
        }
        const std::string name = "wire-" + plainName(formatInstant(night->clock().now()), "now") + ".jsonl";
        auto record = WireRecord::begin(folder / name);
        if (!record)
            return tl::unexpected(record.error());
        night->setRecord(*record);
        return folder / name;
    };
    auto observatory = std::make_unique<Observatory>(night->devices(), Observatory::usual_patience_s, night);
    begun.session = std::make_unique<Session>(
        std::move(observatory), FirstEvening{scenario.rig, scenario.targetName, vectorFrom(scenario.target)},
        std::move(index), dataFolder);
    RigBook& rigs = begun.session->rigs();
    const auto told = [night, &rigs] { night->setRig(rigs.rig()); };
    told();
    QObject::connect(&rigs, &RigBook::changed, told);
    return begun;
}

// What the command line wants, else what was chosen in the window.
Expected<DeviceChoice> choiceFor(const StartWishes& wishes, const std::filesystem::path& data) {
    if (wishes.simulated || !wishes.scenario.empty())
        return DeviceChoice{};
    auto kept = readDeviceChoice(data);
    if (!wishes.server)
        return kept;
    if (kept && kept->address == *wishes.server && !kept->roles.none()) {
        kept->server = true;
        return kept;
    }
    DeviceChoice choice{true, *wishes.server, {}, {}};
    constexpr double answer_s = 5.0;
    WireLink link(choice.address, {});
    if (!awaitOffers(link, answer_s))
        return tl::unexpected(link.absent());
    // Only what is connected tells the size of its sensor.
    greetAll(link);
    static_cast<void>(awaitOffers(link, answer_s));
    choice.roles = likelyRoles(offersOf(link));
    return choice;
}

// The demo night after another of the simulated ones: whether it is a change.
bool backToTheDemo(const std::filesystem::path& data) {
    auto kept = readDeviceChoice(data);
    if (!kept || kept->night.empty())
        return false;
    kept->night.clear();
    return writeDeviceChoice(data, *kept).has_value();
}
} // namespace

Expected<BegunEvening> beginEvening(const StartWishes& wishes) {
    std::filesystem::path data = wishes.dataFolder;
    if (data.empty())
        data = QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation).toStdString() +
               "/nordstjerna";
    std::error_code unreadable;
    const bool firstTime = wishes.greets && !wishes.simulated && !wishes.server && wishes.scenario.empty() &&
                           !std::filesystem::exists(eveningPath(data), unreadable);
    const bool another = wishes.anotherNight || (wishes.simulated && backToTheDemo(data));
    const auto choice = choiceFor(wishes, data);
    if (!choice && wishes.server)
        return tl::unexpected(choice.error());
    // One that ships no more is no reason not to begin.
    const bool named = !wishes.scenario.empty();
    auto scenario = readScenario(named ? wishes.scenario : nightFile(choice ? choice->night : std::string()));
    if (!scenario && !named)
        scenario = readScenario(nightFile({}));
    if (!scenario)
        return tl::unexpected(scenario.error());
    if (!named && choice && choice->night == ownNight)
        if (const auto evening = readEvening(eveningPath(data)); evening && evening->rig)
            scenario = withRig(std::move(*scenario), *evening->rig);
    if (wishes.speed)
        scenario->speed = *wishes.speed;
    auto index = StarIndex::loadDefault();
    if (!index)
        return tl::unexpected(index.error());
    if (choice && choice->server)
        return beginLinked(*choice, *scenario, *index, data);
    if (const auto sky = SimulatedNight::skyIsThere(*scenario, **index); !sky)
        return tl::unexpected(sky.error());
    const auto brought = wishes.scenario.empty() ? bringPastNights(data) : Expected<void>();
    BegunEvening begun = beginSimulated(*scenario, *index, data);
    begun.firstTime = firstTime;
    if (choice)
        begun.devices = *choice;
    if (another) {
        RigBook& rigs = begun.session->rigs();
        if (!rigs.choose(scenario->rig.id)) // with what the person changed in it, where it was in use before
            rigs.set(scenario->rig);
        begun.session->targets().set(scenario->targetName, vectorFrom(scenario->target));
    }
    ProblemList& problems = begun.session->problems();
    if (!brought && problems.all().empty())
        problems.report(brought.error());
    if (!choice)
        problems.report(choice.error());
    return begun;
}

} // namespace nordstjerna
