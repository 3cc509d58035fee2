#include "desk/stations/station.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScopeGuard>
#include <QVBoxLayout>
#include <utility>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/findings/run_story.h"
#include "core/motion/run.h"
#include "core/procedure/slew.h"
#include "core/review/entry_figures.h"
#include "desk/theme.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/run_recorder.h"

namespace nordstjerna {

Station::Station(Session& session, const QString& name, const QString& icon, QWidget* parent)
    : QWidget(parent), session_(session), name_(name), icon_(icon), phase_(new QLabel), sentence_(new QLabel),
      bench_(new QVBoxLayout), figures_(new QHBoxLayout), buttons_(new QHBoxLayout),
      primary_(new QPushButton), steps_(new StepBar) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 16, 10);
    column->setSpacing(8);
    setFocusPolicy(Qt::ClickFocus); // no button waits for a careless Space
    phase_->setObjectName("muted");
    sentence_->setWordWrap(true);
    primary_->setObjectName("primary");
    auto* head = new QVBoxLayout;
    head->setSpacing(2);
    head->addWidget(phase_);
    head->addWidget(sentence_);
    column->addLayout(head);
    bench_->setSpacing(8);
    column->addLayout(bench_, 1);
    figures_->setSpacing(8);
    column->addLayout(figures_);
    auto* bottom = new QHBoxLayout;
    bottom->setSpacing(10);
    bottom->addWidget(primary_);
    buttons_->setSpacing(10);
    bottom->addLayout(buttons_);
    bottom->addWidget(steps_, 1);
    column->addLayout(bottom);
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &Station::restyle);
}

void Station::restyle() {
    phase_->setFont(textFont(11));
    sentence_->setFont(textFont(16));
}

void Station::say(const QString& phase, const QString& sentence) {
    phase_->setText((name_ + (phase.isEmpty() ? "" : " · " + phase)).toUpper());
    sentence_->setText(sentence);
}

void Station::setPrimary(const QString& text, bool enabled) {
    primary_->setText(text);
    primary_->setEnabled(enabled);
    primary_->setToolTip(enabled || session_.free()
                             ? QString()
                             : tr("%1 is under way: stop it first.").arg(session_.busyWith()));
}

void Station::slewTo(const HourAngleDec& target, const QString& purpose,
                     const std::function<void()>& refresh) {
    slewing_ = true;
    session_.run<Slew, Progress>(
        std::make_shared<Slew>(session_.rig(), target, purpose.toStdString()),
        [](const Slew& s) { return s.progress(); }, [this](const Progress& p) { steps_->show(p); },
        [this, refresh](const std::shared_ptr<Slew>&, const Expected<void>&) {
            slewing_ = false;
            steps_->clear();
            refresh();
        });
    if (!session_.busy())
        slewing_ = false;
    refresh();
}

void Station::logRun(const Run& run, const std::string& how) {
    Logbook& book = session_.logbook();
    session_.blockIsOf({}); // it has its block, or never began
    const RecordState state = recorder_ ? recorder_->state() : RecordState();
    if (!state.path.empty())
        book.setFile(entry_, state.path);
    // What was changed meanwhile, with its reasons; the rows tell when it took effect.
    std::vector<SettingNote> changes;
    for (const SettingChange& c : session_.settings().changes())
        if (!c.undone && c.when >= entryBegun_)
            changes.push_back({c.when, settingId(c.key), c.before, c.after, c.origin, c.reason});
    book.end(std::exchange(entry_, {}), session_.now(), run.rows.empty() ? "nothing was recorded" : how,
             [run, around = session_.surroundings(), changes](LogEntry& e) {
                 e.changes = changes;
                 fillFromRun(e, run, around);
             });
}

std::function<void(const Run&)> Station::keeper(const std::shared_ptr<RunRecorder>& recorder,
                                                EntryKind kind) {
    recorder_ = recorder;
    LogEntry begun = session_.newEntry(kind);
    begun.file = session_.logbook().relative(recorder->wanted());
    entryBegun_ = begun.started;
    entry_ = session_.logbook().begin(std::move(begun));
    session_.blockIsOf(entry_);
    // The worker holds the session, which outlives it, and not the station. It only hands the rows over: no
    // disk keeps a correction waiting.
    struct Told {
        bool failing = false;
        std::filesystem::path path;
    };
    return [session = &session_, recorder, entry = entry_,
            known = std::make_shared<Told>(Told{false, recorder->wanted()})](const Run& run) {
        if (!recorder->take(run))
            return;
        session->writeBeside([recorder] { return recorder->write(); },
                             [session, recorder, entry, known](const Expected<void>& done) {
                                 const RecordState state = recorder->state();
                                 if (done.has_value() != known->failing && state.path == known->path)
                                     return; // nothing new
                                 known->failing = !done;
                                 known->path = state.path;
                                 QMetaObject::invokeMethod(
                                     session, [session, entry, state] { tellKept(*session, entry, state); },
                                     Qt::QueuedConnection);
                             },
                             "run " + entry);
    };
}

void Station::tellKept(Session& session, const std::string& entry, const RecordState& state) {
    // Another run may have had that name: where it really lies.
    if (!state.path.empty())
        session.logbook().setFile(entry, state.path);
    if (!state.trouble) {
        session.problems().solved(ProblemCause::run);
        return;
    }
    Problem told = *state.trouble;
    told.what = "The run is not being saved: " + told.what;
    told.why += " " + formatCount(static_cast<int>(state.rows), "row") +
                " on disk; later ones are in memory only. It is tried again with every row.";
    session.problems().report(ProblemCause::run, told, "run.elsewhere", "Save elsewhere…");
}

QString Station::savedText() const {
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

bool Station::saveElsewhere(const std::filesystem::path& path, const Run& run) {
    if (!recorder_)
        return false;
    recorder_->moveTo(path, run);
    if (const auto done = recorder_->write(); !done) {
        session_.problems().report(ProblemCause::run, done.error(), "run.elsewhere", "Save elsewhere…");
        return false;
    }
    session_.problems().solved(ProblemCause::run);
    return true;
}

bool Station::unsaved() const {
    return recorder_ && !recorder_->state().complete();
}

} // namespace nordstjerna
