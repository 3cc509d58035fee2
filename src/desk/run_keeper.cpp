#include "desk/run_keeper.h"

#include <utility>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/review/entry_figures.h"
#include "edge/store/run_recorder.h"

namespace nordstjerna {

namespace {
void tellKept(Logbook& logbook, ProblemList& problems, const std::string& entry, const RecordState& state) {
    // Another run may have had that name: where it really lies.
    if (!state.path.empty())
        logbook.setFile(entry, state.path);
    if (!state.trouble) {
        problems.solved(ProblemCause::run);
        return;
    }
    Problem told = *state.trouble;
    told.what = Text::say("The run is not being saved: %1").arg(told.what);
    told.why += Text::say("%1 on disk; later ones are in memory only. It is tried again with every row.")
                    .arg(Text::say("%n row|%n rows", "", static_cast<int>(state.rows)));
    problems.report(ProblemCause::run, told, ActionId::saveRunElsewhere, Text::say("Save elsewhere…"));
}
} // namespace

std::function<void(const Run&)> RunKeeper::keep(const std::shared_ptr<RunRecorder>& recorder,
                                                EntryKind kind) {
    recorder_ = recorder;
    LogEntry begun = parts_.night.newEntry(kind);
    begun.file = parts_.logbook.relative(recorder->wanted());
    entryBegun_ = begun.started;
    entry_ = parts_.logbook.begin(std::move(begun));
    parts_.night.blockIsOf(entry_);
    // It only hands the rows over: no disk keeps a correction waiting.
    struct Told {
        bool failing = false;
        std::filesystem::path path;
    };
    return [writes = &parts_.writes, logbook = &parts_.logbook, problems = &parts_.problems, recorder,
            entry = entry_, known = std::make_shared<Told>(Told{false, recorder->wanted()})](const Run& run) {
        if (!recorder->take(run))
            return;
        const auto told = [logbook, problems, recorder, entry, known](const Expected<void>& done) {
            const RecordState state = recorder->state();
            if (done.has_value() != known->failing && state.path == known->path)
                return; // nothing new
            known->failing = !done;
            known->path = state.path;
            QMetaObject::invokeMethod(
                logbook, [logbook, problems, entry, state] { tellKept(*logbook, *problems, entry, state); },
                Qt::QueuedConnection);
        };
        writes->post([recorder] { return recorder->write(); }, told, "run " + entry);
    };
}

void RunKeeper::ended(const Run& run, const Text& how) {
    parts_.night.blockIsOf({}); // it has its block, or never began
    const RecordState state = recorder_ ? recorder_->state() : RecordState();
    if (!state.path.empty())
        parts_.logbook.setFile(entry_, state.path);
    // What was changed meanwhile, with its reasons; the rows tell when it took effect.
    std::vector<SettingNote> changes;
    for (const SettingChange& c : parts_.settings.book().changes())
        if (!c.undone && c.when >= entryBegun_)
            changes.push_back({c.when, settingId(c.key), c.before, c.after, c.origin, c.reason});
    parts_.logbook.end(std::exchange(entry_, {}), parts_.night.now(),
                       run.rows.empty() ? Text::say("nothing was recorded") : how,
                       [run, around = parts_.mount.surroundings(), changes](LogEntry& e) {
                           e.changes = changes;
                           fillFromRun(e, run, around);
                       });
}

QString RunKeeper::savedText() const {
    if (!recorder_)
        return {};
    const RecordState state = recorder_->state();
    if (state.path.empty() && state.waiting == 0)
        return {};
    if (state.trouble)
        return tr("NOT saved: %1 of %2 rows are in memory only.")
            .arg(state.waiting)
            .arg(state.rows + state.waiting);
    if (!state.complete())
        return tr("Being saved as %1.").arg(qs(recorder_->wanted().filename().string()));
    return tr("Saved as %1.").arg(qs(state.path.filename().string()));
}

bool RunKeeper::saveElsewhere(const std::filesystem::path& path, const Run& run) {
    if (!recorder_)
        return false;
    recorder_->moveTo(path, run);
    if (const auto done = recorder_->write(); !done) {
        parts_.problems.report(ProblemCause::run, done.error(), ActionId::saveRunElsewhere,
                               Text::say("Save elsewhere…"));
        return false;
    }
    parts_.problems.solved(ProblemCause::run);
    return true;
}

bool RunKeeper::unsaved() const {
    return recorder_ && !recorder_->state().complete();
}

} // namespace nordstjerna
