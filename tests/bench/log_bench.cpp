#include "log_bench.h"

#include <QApplication>
#include <QTemporaryDir>
#include <cstdio>
#include <fstream>

#include "bench_clock.h"
#include "charts/text.h"
#include "core/base/random.h"
#include "core/guide/controllers.h"
#include "core/motion/loop_replay.h"
#include "core/motion/motion_analysis.h"
#include "desk/pictures/lane_chart.h"
#include "edge/store/import_table.h"
#include "edge/store/night_book.h"
#include "edge/store/run_table.h"
#include "loop_world.h"
#include "memory_bench.h"
#include "replayed.h"

namespace nordstjerna {

namespace {
void say(const char* what, double value, const char* unit, const char* wanted) {
    std::printf("%-58s %10.3f %-6s (wanted %s)\n", what, value, unit, wanted);
    std::fflush(stdout);
}

void manyNights(const std::filesystem::path& folder) {
    constexpr int runs = 10000;
    {
        auto log = NightLog::open(nightLogPath(folder));
        Random random(1);
        for (int k = 0; k < runs; ++k) {
            LogEntry e;
            e.kind = k % 10 ? EntryKind::guidedRun : EntryKind::freeRun;
            e.night = {1.7e9 + 86400.0 * (k / 10)};
            e.started = e.night + 30000.0 + 1500.0 * (k % 10);
            e.ended = e.started + 1200.0;
            e.id = "run-" + std::to_string(k);
            e.rigId = "rig";
            e.rigName = "Skerry 610";
            e.target = k % 3 ? "NGC 891" : "M 33";
            e.how = "stopped by you";
            e.file = "runs/" + e.id + ".ecsv";
            for (const char* f : {"total_rms_arcsec", "mount_part_arcsec", "ra_rms_arcsec", "dec_rms_arcsec"})
                e.figures.push_back({f, {random.uniform(0.4, 1.2), 0.02}});
            e.findings = {{"air", Weight::know, Text::say("The air limits the rest."),
                           std::string("0.41 of 0.52″"), Text::say("Nothing.")}};
            if (k == 4711)
                e.note = "a fox";
            static_cast<void>(log->put(e));
        }
    }
    const double open = seconds([&] {
        const auto log = NightLog::open(nightLogPath(folder));
        if (log->nights()->size() != 1000)
            std::abort();
    });
    say("night log of 1000 nights and 10 000 runs, opened, all nights", 1000.0 * open, "ms", "<= 300");
    const auto log = NightLog::open(nightLogPath(folder));
    for (const char* words : {"fox", "guiding", "ngc skerry", "nothing of the kind"}) {
        EntrySearch search;
        search.words = words;
        const double t = seconds([&] { static_cast<void>(log->find(search)->size()); });
        say((std::string("search for \"") + words + "\"").c_str(), 1000.0 * t, "ms", "<= 100");
    }
    const double t = seconds([&] { static_cast<void>(log->figureOver("total_rms_arcsec", "rig")->size()); });
    say("one figure over all nights", 1000.0 * t, "ms", "<= 100");
}

void longRun(const std::filesystem::path& folder) {
    Run run;
    run.meta.kind = RunKind::guided;
    run.meta.guideScale_arcsec_px = 2.5;
    Random random(2);
    for (int i = 0; i < 14400; ++i) {
        RunRow row;
        row.t_s = 2.0 * i;
        row.dra_arcsec = 0.5 * random.gaussian();
        row.ddec_arcsec = 0.5 * random.gaussian();
        row.stars = 4;
        run.rows.push_back(row);
    }
    const auto path = folder / "long.ecsv";
    static_cast<void>(writeRunTable(path, run));
    LaneChart chart;
    chart.resize(590, 400);
    chart.setSpan(0.0);
    static_cast<QWidget&>(chart).show();
    QApplication::processEvents();
    const double t = seconds([&] {
        const auto read = readRunTable(path);
        chart.clear();
        chart.show(*read, 0.0, 0.0);
        chart.repaintNow();
    });
    say("eight hours at 2 s, from its table to the screen", 1000.0 * t, "ms", "<= 300");
}

void longTable(const std::filesystem::path& folder) {
    constexpr int rows = 2000000;
    const auto path = folder / "long.csv";
    {
        std::ofstream file(path);
        file << "Time,RA,Dec,RA pulse,Dec pulse,SNR\n";
        for (int i = 0; i < rows; ++i)
            file << 2 * i << ",0.1234,-0.2345,120,0,33.1\n";
    }
    const auto preview = previewTable(path);
    Run run;
    const double t = seconds([&] {
        run = importTable(path, preview->layout, proposedMapping(preview->layout))->run;
        if (run.rows.size() != rows)
            std::abort();
    });
    say("import of two million rows", t, "s", "<= 6");
    LaneChart chart;
    chart.resize(590, 400);
    chart.setSpan(0.0);
    static_cast<QWidget&>(chart).show();
    const double lanes = seconds([&] {
        chart.show(run, 0.0, 0.0);
        chart.repaintNow();
    });
    say("its lanes", 1000.0 * lanes, "ms", "<= 1000");
    const double figures = seconds([&] { static_cast<void>(summarise(run)); });
    say("its figures", figures, "s", "<= 10");
    say("memory of the program then", mostMemory_MB(), "MB", "<= 2000");
}

void dragOfASlider() {
    LoopWorld w;
    const WorldRun run = guideWorld(w, settingsOf(ControllerKind::proportional), 60.0);
    const auto d = rebuildDisturbance(run.run);
    for (auto kind : {ControllerKind::proportional, ControllerKind::trend, ControllerKind::model}) {
        const LoopSettings settings{settingsOf(kind), {}};
        const double t = seconds([&] { static_cast<void>(replayLoop(*d, settings).size()); });
        say((std::string("replay of an hour, ") + controllerOf(kind).id).c_str(), 1000.0 * t, "ms", "<= 50");
    }
}
} // namespace

void benchLog() {
    QTemporaryDir dir;
    const std::filesystem::path folder = dir.path().toStdString();
    manyNights(folder);
    longRun(folder);
    longTable(folder);
    dragOfASlider();
}

} // namespace nordstjerna
