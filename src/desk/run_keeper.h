// Keeps the run that is being recorded: its table on disk, its entry in the night log, and what may be said
// of both.
#pragma once

#include <QCoreApplication>

#include "core/motion/run.h"
#include "desk/evening/guide_settings.h"
#include "desk/evening/mount_book.h"

namespace nordstjerna {

class RunRecorder;
struct RecordState;

class RunKeeper {
    Q_DECLARE_TR_FUNCTIONS(RunKeeper)
public:
    // All outlive whoever records; the keeper itself need not.
    struct Parts {
        ThisNight& night;
        Logbook& logbook;
        ProblemList& problems;
        WriteQueue& writes;
        GuideSettings& settings;
        MountBook& mount;
    };
    explicit RunKeeper(const Parts& parts) : parts_(parts) {}

    // A run begins: it is entered in the night log. What is returned brings its table up to date, from the
    // worker; a failure is told to the person, once, with a way to save the run elsewhere.
    std::function<void(const Run&)> keep(const std::shared_ptr<RunRecorder>& recorder, EntryKind kind);
    // It has ended: its figures are worked out beside the window.
    void ended(const Run& run, const Text& how);

    // What is true of the run recorded last: "Saved as …" only for what is.
    QString savedText() const;
    bool unsaved() const;
    bool saveElsewhere(const std::filesystem::path& path, const Run& run);
    std::shared_ptr<RunRecorder> recorder() const { return recorder_; }

private:
    Parts parts_;
    std::shared_ptr<RunRecorder> recorder_; // of the last run
    std::string entry_;                     // of it
    Instant entryBegun_;
};

} // namespace nordstjerna
