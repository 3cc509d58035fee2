// Files of the station Free run: tables, curves and reports, read and written.
#include "desk/stations/free/free_station.h"

#include <chrono>

#include "charts/report.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "core/procedure/backlash_test.h"
#include "core/procedure/curve_upload.h"
#include "desk/pictures/chart_view.h"
#include "desk/pictures/lane_chart.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/curve_table.h"
#include "edge/store/run_recorder.h"

namespace nordstjerna {

void FreeStation::exportCurve(const std::filesystem::path& path) {
    const auto curve = curveToHand();
    const auto done = curve ? writeCurve(path, *curve) : tl::unexpected(curve.error());
    if (!done)
        problems().report(done.error());
}

void FreeStation::openCurve(const std::filesystem::path& path) {
    auto curve = readCurve(path);
    if (!curve) {
        problems().report(curve.error());
        return;
    }
    opened_ = std::move(*curve);
    problems().clear();
    refreshPictures();
    showPage(Page::worm);
}

// Long tables take a second or two to read and judge: that happens beside the window.
void FreeStation::readBeside(const std::filesystem::path& path,
                             const std::function<void(const Run&, const RunStory&)>& then) {
    if (reading())
        return;
    RunSurroundings around;
    around.wormPeriod_s = rigs().rig().mount.wormPeriod_s;
    beside_.run([this, path, around, then] {
        auto table = std::make_shared<Expected<Run>>(Run{});
        auto story = std::make_shared<Expected<RunStory>>(RunStory{});
        *table = readRunTable(path);
        *story = *table ? tellRun(**table, around) : Expected<RunStory>(tl::unexpected(table->error()));
        return [this, table, story, then] {
            if (*story) {
                problems().clear();
                then(**table, **story);
            } else {
                problems().report(story->error());
            }
        };
    });
}

void FreeStation::openRun(const std::filesystem::path& path) {
    readBeside(path, [this, path](const Run& run, const RunStory& story) {
        if (story.backlash) {
            backlash_ = story.backlash;
            backlashRun_ = run;
            refreshPictures();
            refreshFindings();
            showPage(Page::backlash);
            return;
        }
        opened_.reset();
        lanes_->clear();
        runFile_ = qs(path.string());
        fromFile_ = true;
        adopt(run, story);
        showPage(Page::record);
    });
}

void FreeStation::compareWith(const std::filesystem::path& path) {
    readBeside(path, [this](const Run&, const RunStory& story) {
        opened_.reset();
        before_ = story;
        refreshPictures();
    });
}

void FreeStation::saveRunElsewhere(const std::filesystem::path& path) {
    runs_.saveElsewhere(path, page_ == Page::backlash ? backlashRun_ : run_);
    refresh();
}

QString FreeStation::runFile() const {
    return fromFile_ ? runFile_ : runs_.recorder() ? qs(runs_.recorder()->state().path.string()) : QString();
}

void FreeStation::saveReport(const std::filesystem::path& path) {
    const bool test = page_ == Page::backlash;
    const Run& run = test ? backlashRun_ : run_;
    RunStory story;
    if (test) {
        // The test's own drift and noise go with its report.
        auto told = tellRun(run, surroundings());
        if (!told) {
            problems().report(told.error());
            return;
        }
        story = std::move(*told);
    } else if (story_) {
        story = *story_;
        story.findings = findingsOf(run, story, surroundings());
    }
    if (const auto done = writeReport(path, run, story, true); !done)
        problems().report(done.error());
}

} // namespace nordstjerna
