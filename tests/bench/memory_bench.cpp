#include "memory_bench.h"

#include <QApplication>
#include <QPushButton>
#include <QTemporaryDir>
#include <cstdio>
#include <fstream>
#include <string>

#include "bench_clock.h"
#include "desk/main_window.h"
#include "desk/stations/guide/guide_station.h"
#include "night_fixture.h"

namespace nordstjerna {

double mostMemory_MB() {
    std::ifstream status("/proc/self/status");
    std::string word;
    while (status >> word)
        if (word == "VmHWM:") {
            double kB = 0.0;
            status >> kB;
            return kB / 1024.0;
        }
    return 0.0;
}

void benchMemory(int rows) {
    QTemporaryDir data;
    Scenario s = demoScenario();
    // Long enough for so many frames: an early start, short exposures, a mount without limits.
    s.rig.mount.meridianLimitEast = s.rig.mount.meridianLimitWest = Angle::fromHours(11.0);
    s.rig.horizon = HorizonProfile();
    MainWindow window(beginSimulated(s, sharedIndex(), std::filesystem::path(data.path().toStdString())));
    window.show();
    Session& session = window.session();
    const auto idle = [&] {
        while (session.procedures().busy())
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
    };
    const double before = mostMemory_MB();
    window.showStation(StationId::rates);
    for (QPushButton* b : window.station(StationId::rates)->findChildren<QPushButton*>())
        if (b->text() == "Slew there")
            b->click();
    idle();
    window.station(StationId::rates)->primary()->click();
    idle();
    if (!session.calibrationBook().calibration()) {
        std::printf("memory: no rates\n");
        return;
    }
    session.settings().change(SettingKey::exposure, 0.5, "yours");
    window.showStation(StationId::guide);
    auto* guide = static_cast<GuideStation*>(window.station(StationId::guide));
    guide->primary()->click();
    const double took = seconds([&] {
        while (session.procedures().guiding() && static_cast<int>(guide->run().rows.size()) < rows)
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
    });
    std::printf("memory: %.0f MB at most after %zu guided frames, %.0f MB before (wanted <= 300), %.0f s\n",
                mostMemory_MB(), guide->run().rows.size(), before, took);
    session.procedures().stop();
    idle();
}

} // namespace nordstjerna
