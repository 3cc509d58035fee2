// What the station Review does: imports, reports, settings taken over, trials.
#include "desk/stations/review/review_station.h"

#include <QFileDialog>
#include <cmath>
#include <utility>

#include "charts/report.h"
#include "charts/text.h"
#include "core/base/format.h"
#include "core/review/entry_figures.h"
#include "core/rig/scales.h"
#include "desk/pictures/shaped_frame.h"
#include "desk/pictures/shapes_chart.h"
#include "desk/stations/review/import_sheet.h"
#include "desk/stations/review/mount_page.h"
#include "desk/stations/review/night_page.h"
#include "desk/stations/review/night_strip.h"
#include "desk/stations/review/replay_page.h"
#include "desk/stations/review/target_page.h"
#include "desk/stations/review/trial_page.h"
#include "desk/widgets/phase_bar.h"
#include "edge/store/fits.h"
#include "edge/store/json_reader.h"
#include "edge/store/run_export.h"
#include "edge/store/run_table.h"

namespace nordstjerna {

// Each setting that differs, with where it comes from; undone at Guide like any other.
void ReviewStation::takeOver() {
    const ControllerSettings& wanted = replay_->settings();
    const std::string reason = replay_->words().toStdString();
    for (SettingKey key :
         settingsThatDiffer(wanted, needs_.settings.book().controller(), ReplayPage::sliderStep))
        needs_.settings.change(key, settingValue(wanted, key), "replay", reason);
    if (const auto exposure_s = replay_->otherExposure_s())
        needs_.settings.change(SettingKey::exposure, *exposure_s, "replay", reason);
    refresh();
}

void ReviewStation::saveRun(const std::filesystem::path& path) {
    if (!opened_.run)
        return;
    if (const auto done = exportRun(path, *opened_.run); !done)
        problems().report(done.error());
    else
        problems().clear();
}

void ReviewStation::importFrom(const std::filesystem::path& path) {
    auto* sheet = new ImportSheet(path, needs_.logbook.folder() / "imports.json",
                                  scalesOf(rigs().rig()).guide_arcsec_px, night().now(), this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    connect(sheet, &ImportSheet::importWanted, this, [this, sheet] { importNow(*sheet); });
    sheet->open();
}

// Read beside the window and kept as a run table of ours; then it is an entry like any other.
void ReviewStation::importNow(ImportSheet& sheet) {
    if (beside_.busy())
        return;
    const ImportMapping mapping = sheet.mapping();
    const ImportLayout layout = sheet.layoutOfTable();
    const std::filesystem::path from = sheet.table();
    const Scales scales = scalesOf(rigs().rig());
    LogEntry entry =
        night().newEntry(mapping.kind == RunKind::free ? EntryKind::freeRun : EntryKind::guidedRun);
    const std::filesystem::path to = night().newRunPath("imported");
    entry.file = needs_.logbook.relative(to);
    entry.target.clear();
    sheet.accept();
    beside_.run([this, mapping, layout, from, to, scales, entry,
                 kept = needs_.logbook.folder() / "imports.json",
                 site = rigs().rig().site]() mutable -> std::function<void()> {
        auto imported = importTable(from, layout, mapping);
        Expected<void> done = imported ? Expected<void>() : tl::unexpected(imported.error());
        if (done) {
            imported->run.meta.guideScale_arcsec_px = scales.guide_arcsec_px;
            imported->run.meta.imageScale_arcsec_px = scales.image_arcsec_px;
            done = writeRunTable(to, imported->run);
        }
        if (done)
            done = keepMapping(kept, layout, mapping);
        if (!done)
            return [this, done] { problems().report(done.error()); };
        auto read = std::make_shared<const Run>(std::move(imported->run));
        entry.started = read->meta.start;
        entry.night = noonBefore(site, entry.started);
        entry.ended = entry.started + read->rows.back().t_s;
        entry.how = "imported from " + from.filename().string();
        if (imported->rowsLeftOut > 0)
            entry.note = Text::say("%n line without all numbers.|%n lines without all numbers.", "",
                                   static_cast<int>(imported->rowsLeftOut))
                             .then(imported->firstLeftOut)
                             .english();
        return [this, entry, read] {
            problems().clear();
            choose_ = needs_.logbook.add(entry, [read](LogEntry& e) { fillFromRun(e, *read); });
            told_ = tr("%1 rows imported; they are in the list of their night.").arg(read->rows.size());
            strip_->choose(entry.night);
            byHand_ = true;
        };
    });
}

void ReviewStation::showFrame(int number) {
    if (!opened_.series)
        return;
    const auto& frames = opened_.series->frames;
    if (number < 1 || number > static_cast<int>(frames.size())) {
        frameShown_ = 0;
        seriesLooks_->setCurrent(0);
        showPage(Page::run);
        return;
    }
    frameShown_ = frameChosen_ = number;
    shapes_->setChosen(number);
    seriesLooks_->setCurrent(1);
    const SeriesFrame& f = frames[static_cast<size_t>(number) - 1];
    frame_->show(nullptr, {});
    frame_->setHint(f.file.empty() ? tr("Where frame %1 was saved is not known.").arg(number)
                                   : tr("Reading frame %1 …").arg(number));
    if (!f.file.empty())
        frames_.run([this, number, file = f.file] {
            const auto frame = readSharedFits(file);
            FrameLook look;
            // A frame without stars is one to look at all the same.
            if (frame)
                if (const auto field = detectStars(**frame))
                    look = lookAt(**frame, *field);
            return [this, number, look, frame] {
                if (frameShown_ != number)
                    return;
                if (frame)
                    frame_->show(*frame, look);
                else
                    frame_->setHint(qs(frame.error().said()));
                frame_->update();
            };
        });
    showPage(Page::run);
}

QString ReviewStation::reportName() const {
    return page_ == Page::target  ? tr("target.html")
           : page_ == Page::mount ? tr("mount.html")
                                  : tr("night.html");
}

void ReviewStation::askForReport() {
    const QString path =
        QFileDialog::getSaveFileName(this, tr("Write a report"), reportName(), tr("Reports (*.html *.pdf)"));
    if (!path.isEmpty())
        saveReport(path.toStdString());
}

void ReviewStation::written(const Expected<void>& done, const std::filesystem::path& path) {
    if (!done)
        problems().report(done.error());
    else
        told_ = tr("The report was written to %1.").arg(qs(path.string()));
    refresh();
}

void ReviewStation::saveReport(const std::filesystem::path& path) {
    if (page_ == Page::target)
        written(writeTargetReport(path, target_->drawn().name, target_->drawn().read.progress,
                                  target_->wanted_s(), rigs().civilTime(), true),
                path);
    else if (page_ == Page::mount)
        written(writeMountReport(path, rigs().rig().mount.name, mount_->lines(), mount_->marks(),
                                 rigs().civilTime(), true),
                path);
    else
        saveNightReport(path);
}

// Beside the window: each run of the night is judged anew for its pictures.
void ReviewStation::saveNightReport(const std::filesystem::path& path) {
    if (!strip_->chosen() || beside_.busy())
        return;
    night_->keepNote();
    beside_.run([this, path, night = *strip_->chosen(), zone = rigs().civilTime(),
                 folder = needs_.logbook.folder()]() -> std::function<void()> {
        EntrySearch wanted;
        wanted.night = night;
        const auto log = NightLog::openToRead(nightLogPath(folder));
        const auto found = log ? log->find(wanted) : tl::unexpected(log.error());
        if (!found)
            return [this, found] { problems().report(found.error()); };
        auto document = std::make_shared<NightDocument>(nightDocument(folder, *found, zone));
        // Typefaces and colours belong to the window's thread.
        return [this, path, document] { written(writeNightReport(path, *document, true), path); };
    });
}

void ReviewStation::startTrial() {
    if (!procedures().guiding() || trial_->difference().isEmpty())
        return;
    trialSecond_ = trial_->second();
    needs_.trial.begin(static_cast<std::uint64_t>(night().now().unix_s),
                       needs_.settings.book().value(SettingKey::exposure), trial_->first(), trialSecond_);
    LogEntry entry = night().newEntry(EntryKind::trial);
    entry.note = "B: " + trial_->difference().toStdString();
    trialEntry_ = needs_.logbook.begin(std::move(entry));
    trialRunning_ = true;
    refresh();
    Q_EMIT changed();
}

void ReviewStation::trialEnded(const TrialSlot::Seen& seen) {
    trialRunning_ = false;
    const Text words = trialWords(seen.state, "A", "B");
    needs_.logbook.end(trialEntry_, night().now(), seen.ended, [seen, words](LogEntry& e) {
        if (seen.state.rounds > 0)
            e.figures = {{"trial_difference", seen.state.percent()}};
        e.findings = {{"trial", Weight::know, words, e.note, ""}};
        nlohmann::json detail{{"rounds", seen.state.each},
                              {"block_s", seen.rules.block_s},
                              {"leave_out_s", seen.rules.leaveOut_s},
                              {"seed", seen.rules.seed}};
        e.detail = jsonText(detail);
    });
    trialEntry_.clear();
    refresh();
    Q_EMIT changed();
}

void ReviewStation::useSecond() {
    for (SettingKey key : settingsThatDiffer(trialSecond_, needs_.settings.book().controller()))
        needs_.settings.change(key, settingValue(trialSecond_, key), "trial",
                               trialWords(lastTrial_.state, "A", "B").english());
    refresh();
}

void ReviewStation::tick() {
    if (!trialRunning_)
        return;
    lastTrial_ = needs_.trial.seen();
    trial_->show(lastTrial_);
    if (!lastTrial_.running)
        trialEnded(lastTrial_);
    else if (page_ == Page::trial)
        refresh();
}

} // namespace nordstjerna
