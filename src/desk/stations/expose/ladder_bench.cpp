#include "desk/stations/expose/ladder_bench.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/findings/series_findings.h"
#include "core/rig/scales.h"
#include "desk/pictures/ladder_chart.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

namespace {
constexpr double usualFwhm_arcsec = 3.0; // until a frame was taken

// As exact as an expectation deserves.
double roughly(double seconds) {
    const double step = seconds < 60.0 ? 5.0 : seconds < 300.0 ? 10.0 : 60.0;
    return step * std::max(1.0, std::floor(seconds / step));
}
} // namespace

LadderBench::LadderBench(const StationParts& parts, MountBook& mountBook, QObject* parent)
    : QObject(parent), parts_(parts), mountBook_(mountBook), chart_(new LadderChart) {}

QWidget* LadderBench::picture() const {
    return chart_;
}

void LadderBench::refresh(double fwhm_arcsec) {
    if (fwhm_arcsec > 0.0)
        fwhm_arcsec_ = fwhm_arcsec;
    expect();
}

void LadderBench::expect() {
    LadderSources known;
    if (mountBook_.pole())
        known.axis = &mountBook_.pole()->fit;
    if (const auto& story = mountBook_.freeStory()) {
        known.free = &story->motion;
        known.freeMeta = &mountBook_.freeRun()->meta;
    }
    mount_ = ladderMount(known, parts_.rigs.rig().site, parts_.targets.icrs(), parts_.night.now(),
                         fwhm_arcsec_ > 0.0 ? fwhm_arcsec_ : usualFwhm_arcsec);
    QString words;
    if (mount_.driftKnown || mount_.periodicKnown) {
        words = known.axis && known.free ? tr("expected from the measured axis and the last free run")
                : known.axis             ? tr("expected from the measured axis; no free run yet")
                                         : tr("expected from the last free run, as the drift was there");
        words += fwhm_arcsec_ > 0.0 ? tr(", FWHM %1″").arg(qs(formatNumber(fwhm_arcsec_, 1)))
                                    : tr(", FWHM taken as %1″").arg(qs(formatNumber(usualFwhm_arcsec, 1)));
        const double upTo = roundUpTo_s(mount_);
        words += upTo >= 3600.0 ? tr(": round for an hour")
                                : tr(": round up to %1").arg(qs(formatDuration(roughly(upTo))));
    }
    chart_->show(mount_, rungs_, LadderSetup().exposures_s, words);
}

void LadderBench::begin(StepBar* bar) {
    struct Seen {
        Progress progress;
        std::vector<LadderRung> rungs;
        std::optional<ImageTaken> image;
        std::optional<Problem> notGuiding;
    };
    LadderSetup setup;
    setup.wasGuiding = parts_.procedures.guiding();
    rungs_.clear();
    running_ = true;
    parts_.procedures.run<Ladder, Seen>(
        std::make_shared<Ladder>(setup),
        [](const Ladder& l) {
            return Seen{l.progress(), l.rungs(), l.image(), l.notGuiding()};
        },
        [this, bar](const Seen& seen) {
            bar->show(seen.progress);
            const bool fresh = seen.rungs.size() != rungs_.size();
            rungs_ = seen.rungs;
            if (fresh && seen.image) {
                // What is round of the shortest one is the air's and the optics'.
                if (rungs_.size() == 1 && rungs_.front().stars > 0)
                    fwhm_arcsec_ = rungs_.front().fwhm_px * scalesOf(parts_.rigs.rig()).image_arcsec_px;
                expect();
                Q_EMIT taken(*seen.image);
            }
            Q_EMIT changed();
        },
        [this, bar](const std::shared_ptr<Ladder>& ladder, const Expected<void>&) {
            running_ = false;
            bar->clear();
            if (ladder->notGuiding())
                parts_.problems.report(*ladder->notGuiding());
            Q_EMIT changed();
        });
    if (!parts_.procedures.working())
        running_ = false;
    Q_EMIT changed();
}

std::vector<Finding> LadderBench::findings() const {
    return ladderFindings(rungs_, mount_);
}

} // namespace nordstjerna
