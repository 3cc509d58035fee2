#include "desk/start.h"

#include <QCoreApplication>
#include <QStandardPaths>

namespace nordstjerna {

std::filesystem::path demoFolder() {
    const std::filesystem::path installed =
        (QCoreApplication::applicationDirPath() + "/../share/nordstjerna/demo").toStdString();
    std::error_code error;
    if (std::filesystem::exists(installed / "night.json", error))
        return installed;
    return std::filesystem::path(NORDSTJERNA_SOURCE_DIR) / "resources" / "demo";
}

Expected<std::unique_ptr<Session>> startSession(const StartWishes& wishes) {
    auto scenario = readScenario(wishes.scenario.empty() ? demoFolder() / "night.json" : wishes.scenario);
    if (!scenario)
        return tl::unexpected(scenario.error());
    if (wishes.speed)
        scenario->speed = *wishes.speed;
    auto index = StarIndex::loadDefault();
    if (!index)
        return tl::unexpected(index.error());
    std::filesystem::path data = wishes.dataFolder;
    if (data.empty())
        data = QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation).toStdString() +
               "/nordstjerna";
    return std::make_unique<Session>(*scenario, *index, data);
}

} // namespace nordstjerna
