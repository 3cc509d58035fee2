// Writes nights until it is killed: runs row by row, each entered before its first row and closed at its end.
// The test of the night book starts it, and kills it at any moment.
#include <cstdio>
#include <cstdlib>

#include "edge/store/night_book.h"
#include "edge/store/run_recorder.h"

using namespace nordstjerna;

int main(int argc, char** argv) {
    if (argc < 2)
        return 2;
    const std::filesystem::path folder = argv[1];
    const auto mark = SessionMark::set(folder);
    if (!mark)
        return 1;
    std::error_code error;
    std::filesystem::create_directories(folder / "runs", error);
    Instant now{1.7918e9};
    for (int k = 0; k < 100000; ++k) {
        LogEntry e;
        e.kind = EntryKind::guidedRun;
        e.started = now;
        e.night = {1.79176e9};
        e.rigId = "rig";
        e.session = mark->name();
        e.id = newEntryId(e.kind, e.started);
        e.file = "runs/" + e.id + ".ecsv";
        if (!keepEntry(folder, e))
            return 1;
        RunRecorder recorder(folder / e.file);
        Run run;
        run.meta.kind = RunKind::guided;
        run.meta.start = e.started;
        run.meta.guideScale_arcsec_px = 2.5;
        for (int i = 0; i < 40; ++i) {
            RunRow row;
            row.t_s = 2.0 * i;
            row.dra_arcsec = 0.1 * (i % 7);
            row.stars = 3;
            run.rows.push_back(row);
            if (!recorder.update(run))
                return 1;
            // What a person would call measured from here on.
            std::printf("%s %d\n", e.id.c_str(), i + 1);
            std::fflush(stdout);
        }
        now = now + 100.0;
        e.ended = now;
        e.how = "stopped";
        e.figures = {{"rows", {40.0, 0.0}}};
        if (!keepEntry(folder, e))
            return 1;
    }
    return 0;
}
