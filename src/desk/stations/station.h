// What every station of the night offers to the window.
#pragma once

#include <QWidget>
#include <filesystem>
#include <functional>
#include <memory>
#include <vector>

#include "core/findings/finding.h"
#include "desk/session.h"
#include "desk/widgets/marks.h"

class QLabel;
class QPushButton;
class QHBoxLayout;
class QVBoxLayout;

namespace nordstjerna {

class RunRecorder;
struct RecordState;
class StepBar;
struct Run;

class Station : public QWidget {
    Q_OBJECT
public:
    Station(Session& session, const QString& name, const QString& icon, QWidget* parent = nullptr);

    QString name() const { return name_; }
    QString icon() const { return icon_; }
    virtual QString summary() const = 0; // the one figure on the rail
    virtual StationState state() const = 0;
    virtual std::vector<Finding> findings() const = 0;
    virtual QString help() const = 0; // what, why, how, what is good
    // A finding's or a menu's command; false when not this station's.
    virtual bool perform(const QString& action) = 0;
    QPushButton* primary() const { return primary_; }
    // The person has come here: the cursor goes where it is wanted.
    virtual void arrive() { setFocus(); }

Q_SIGNALS:
    void changed(); // summary, state or findings
    void goTo(const QString& station);

protected:
    // Phase in small capitals and the sentence that says what to do now.
    void say(const QString& phase, const QString& sentence);
    QVBoxLayout* bench() const { return bench_; }     // the picture goes here
    QHBoxLayout* figures() const { return figures_; } // read-outs
    QHBoxLayout* buttons() const { return buttons_; } // after the primary button
    StepBar* steps() const { return steps_; }
    void setPrimary(const QString& text, bool enabled = true);
    Session& session() const { return session_; }
    // Moves the mount; slewing() holds meanwhile and `refresh` is called at both ends.
    void slewTo(const HourAngleDec& target, const QString& purpose, const std::function<void()>& refresh);
    bool slewing() const { return slewing_; }
    // What brings the table of a run up to date, from the worker; a failure is told to the person, once, with
    // a way to save the run elsewhere.
    // The run is entered in the night log.
    std::function<void(const Run&)> keeper(const std::shared_ptr<RunRecorder>& recorder, EntryKind kind);
    // It has ended: its figures are worked out beside the window.
    void logRun(const Run& run, const std::string& how);
    // What is true of the run recorded last: "Saved as …" only for what is.
    QString savedText() const;
    bool unsaved() const;
    bool saveElsewhere(const std::filesystem::path& path, const Run& run);
    std::shared_ptr<RunRecorder> recorder() const { return recorder_; }

private:
    static void tellKept(Session& session, const std::string& entry, const RecordState& state);
    void restyle();
    Session& session_;
    QString name_, icon_;
    QLabel* phase_;
    QLabel* sentence_;
    QVBoxLayout* bench_;
    QHBoxLayout* figures_;
    QHBoxLayout* buttons_;
    QPushButton* primary_;
    StepBar* steps_;
    bool slewing_ = false;
    std::shared_ptr<RunRecorder> recorder_; // of the last run
    std::string entry_;                     // of it
    Instant entryBegun_;
};

} // namespace nordstjerna
